"""From a patch to a flat program, and the one loop that runs it."""
