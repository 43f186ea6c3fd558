"""Offline rendering with the same program and the same kernels as the sound that plays."""
