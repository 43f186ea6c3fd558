"""Sound devices: real ones, and the simulated one that stands in where there is none."""
