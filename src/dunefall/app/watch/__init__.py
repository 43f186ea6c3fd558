"""Watch: scope, spectrum, spectrogram, tuner and events of pinned signals."""
