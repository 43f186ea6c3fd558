"""From a patch or a take to files that can be handed over: jobs, files, measures, loops, events, the queue."""
