"""Sound devices: real ones, and a simulated one where there is none."""
