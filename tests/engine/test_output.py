"""The real output, with a stand-in for PortAudio: it fills blocks of any size and counts underruns."""

from __future__ import annotations

import sys
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from dunefall.base.errors import DeviceError
from dunefall.engine.devices.output import RealOutput


class Stream:
    """Keeps the callback, so that a test can ask for blocks as a sound card does."""

    def __init__(self, **options: Any) -> None:
        self.options, self.active = options, False

    def start(self) -> None:
        if self.options["device"] == 99:
            raise OSError("device is busy")
        self.active = True

    def close(self) -> None:
        self.active = False


@pytest.fixture
def streams(monkeypatch: pytest.MonkeyPatch) -> list[Stream]:
    made: list[Stream] = []

    def opened(**options: Any) -> Stream:
        made.append(Stream(**options))
        return made[-1]

    monkeypatch.setitem(sys.modules, "sounddevice", SimpleNamespace(OutputStream=opened, PortAudioError=OSError))
    return made


def test_blocks_larger_than_asked_for_are_filled_in_pieces_and_only_underruns_are_counted(
    streams: list[Stream],
) -> None:
    sizes: list[int] = []

    def fill(piece: NDArray[np.float64]) -> None:
        piece[:] = len(sizes) + 1
        sizes.append(len(piece))

    output = RealOutput(3, "card", 48000.0, 128, 2)
    output.start(fill)
    assert output.alive
    callback, out = streams[0].options["callback"], np.zeros((300, 2), np.float32)
    callback(out, 300, None, SimpleNamespace(output_underflow=False))
    assert sizes == [128, 128, 44]
    assert (out[[0, 127, 128, 255, 256, 299], 0] == [1, 1, 2, 2, 3, 3]).all()
    assert output.underruns == 0
    callback(out, 300, None, SimpleNamespace(output_underflow=True))
    assert output.underruns == 1
    output.stop()
    assert not output.alive
    output.stop()  # twice does no harm


def test_a_device_that_refuses_is_named(streams: list[Stream]) -> None:
    with pytest.raises(DeviceError, match="sound device the card cannot be used: device is busy"):
        RealOutput(99, "the card", 48000.0, 128, 2).start(lambda _piece: None)
