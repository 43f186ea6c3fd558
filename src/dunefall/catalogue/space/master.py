"""Master: what the whole mix goes through: four bands, width, level."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.base.layouts import LAYOUTS, MOST_CHANNELS
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.catalogue.shape.equaliser import bands_keep
from dunefall.dsp.equaliser import FLAT, HIGH, LOW, MIDDLE, run_band
from dunefall.dsp.maths import db_to_gain

__all__ = ["MODULE"]

BESIDE = 8
"""Numbers of the state for one channel."""
FRONT, BACK, MIDDLE_PAIR = 0b11, 0b1100, 0b110000
"""Among what is linked: where inserts come back."""
LEVEL = 1 << 6
MOVES = (0b11 << 9, 0b111 << 11, 0b111 << 14, 0b11 << 17)
"""Among what moves: the level, and the values of each band."""
SILENT_DB = -96.0


def kernel(
    audio: Row, audio_right: Row, behind: Row, behind_right: Row, middle: Row, middle_right: Row, level_db: Row,
    width: Row, target_lufs: Row, low_hz: Row, low_db: Row, a_hz: Row, a_db: Row, a_q: Row, b_hz: Row, b_db: Row,
    b_q: Row, high_hz: Row, high_db: Row, layout: Row, left: Row, right: Row, state: State, whole_mix: Row,
    rate: Scalar, moving: Mask, linked: Mask, bypassed: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: the integrators of four filters in a row, for each channel. A band at 0 dB changes nothing.

    It runs when all layers are in the mix, and changes the mix in place; what is inserted comes in its stead.
    """
    n = left.size
    channels = 2 * int(layout[0] + 1.5)
    if linked & FRONT:
        _replace(whole_mix, 0, audio, audio_right)
    if linked & BACK and channels > 2:
        _replace(whole_mix, channels - 2, behind, behind_right)
    if linked & MIDDLE_PAIR and channels > 4:
        _replace(whole_mix, 2, middle, middle_right)
    if not bypassed:
        _shape(level_db, width, low_hz, low_db, a_hz, a_db, a_q, b_hz, b_db, b_q, high_hz, high_db, channels, n, state,
               whole_mix, rate, moving, scratch)  # fmt: skip
    for i in range(n):
        left[i], right[i] = whole_mix[i], whole_mix[64 + i]


@njit(error_model="numpy", forceinline=True)
def _replace(whole_mix: Row, channel: int, a: Row, b: Row) -> None:
    for i in range(a.size):
        whole_mix[64 * channel + i], whole_mix[64 * channel + 64 + i] = a[i], b[i]


@njit(error_model="numpy", forceinline=True)
def _shape(
    level_db: Row, width: Row, low_hz: Row, low_db: Row, a_hz: Row, a_db: Row, a_q: Row, b_hz: Row, b_db: Row, b_q: Row,
    high_hz: Row, high_db: Row, channels: int, n: int, state: State, whole_mix: Row, rate: float, moving: Mask,
    scratch: Scratch,
) -> None:  # fmt: skip
    """The bands of each channel and the level, then the width of each pair."""
    flat = scratch[448 : 448 + n]
    flat[:] = FLAT
    for channel in range(channels):
        row, at = whole_mix[64 * channel : 64 * channel + n], BESIDE * channel
        run_band(LOW, row, low_hz, low_db, flat, row, state, at, rate, moving & MOVES[0], scratch)
        run_band(MIDDLE, row, a_hz, a_db, a_q, row, state, at + 2, rate, moving & MOVES[1], scratch)
        run_band(MIDDLE, row, b_hz, b_db, b_q, row, state, at + 4, rate, moving & MOVES[2], scratch)
        run_band(HIGH, row, high_hz, high_db, flat, row, state, at + 6, rate, moving & MOVES[3], scratch)
        for i in range(n):
            if i == 0 or moving & LEVEL:
                gain = db_to_gain(level_db[i]) if level_db[i] > SILENT_DB else 0.0
            row[i] *= gain
    for pair in (0, channels - 2):  # in front, and behind where there is something
        if pair == 0 or channels > 2:
            _widen(whole_mix[64 * pair : 64 * pair + n], whole_mix[64 * pair + 64 : 64 * pair + 64 + n], width)


@njit(error_model="numpy", forceinline=True)
def _widen(a: Row, b: Row, width: Row) -> None:
    for i in range(a.size):
        more = 0.5 * (width[i] - 1.0) * (a[i] - b[i])
        a[i], b[i] = a[i] + more, b[i] - more


MODULE = ModuleSpec(
    id="master",
    name="Master",
    stage="space",
    sentence="The master bus before the limiter: a four-band equaliser, width and level.",
    kernel=kernel,
    inputs=(
        Input("audio", "Audio", "audio", "The end of what is inserted on the whole mix; nothing linked: the mix as it "
              "is.", stereo=True),
        Input("behind", "Behind", "audio", "In more than stereo: the pair behind the listener.", stereo=True),
        Input("middle", "Centre and low effects", "audio", "In 5.1: both.", stereo=True),
    ),
    params=(
        Param("level_db", "Level", "db", SILENT_DB, 24, 0, "Level of the whole mix; −96 dB is silence.", amount=6.0),
        Param("width", "Width", "ratio", 0, 1.2, 1, "Stereo width.", amount=0.3),
        Param("target_lufs", "Target", "lufs", -40, -6, -23, "Target loudness; it does not change the sound."),
        Param("low_hz", "Low shelf", "hz", 20, 2000, 90, "Below this, the low shelf.", taper="octaves", amount=1.0),
        Param("low_db", "Low gain", "db", -18, 18, 0, "Gain of the low shelf.", amount=3.0),
        Param("a_hz", "Bell 1", "hz", 20, 20000, 350, "Middle of the first bell.", taper="octaves", amount=1.0),
        Param("a_db", "Bell 1 gain", "db", -18, 18, 0, "Gain at its middle.", amount=3.0),
        Param("a_q", "Bell 1 Q", "factor", 0.2, 20, 1, "How narrow it is.", taper="octaves", amount=1.0),
        Param("b_hz", "Bell 2", "hz", 20, 20000, 2500, "Middle of the second bell.", taper="octaves", amount=1.0),
        Param("b_db", "Bell 2 gain", "db", -18, 18, 0, "Gain at its middle.", amount=3.0),
        Param("b_q", "Bell 2 Q", "factor", 0.2, 20, 1, "How narrow it is.", taper="octaves", amount=1.0),
        Param("high_hz", "High shelf", "hz", 500, 20000, 7000, "Above this, the high shelf.", taper="octaves",
              amount=1.0),
        Param("high_db", "High gain", "db", -18, 18, 0, "Gain of the high shelf.", amount=3.0),
        Param("layout", "Layout", "choice", 0, 2, 0, "The loudspeakers of the patch.",
              tuple(layout.name for layout in LAYOUTS), follows="layout"),
    ),
    outputs=(Output("left", "Left", "audio"), Output("right", "Right", "audio")),
    state=MOST_CHANNELS * BESIDE,
    cycle=Cycle(memory_s=bands_keep),
    groups=(("Surround", ("behind", "middle")),),
    closes=True,
    face="level_db",
    shows="wave",
    words=("mix", "equaliser", "bus", "output", "loudness", "trim"),
    sources=("Bristow-Johnson, Audio EQ Cookbook (responses)", "Simper 2013 (state-variable filter)"),
)  # fmt: skip
