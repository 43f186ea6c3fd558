"""Tremolo: the level breathes; between left and right it becomes a wandering place."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.maths import floor, fma, sine

__all__ = ["MODULE"]

PHASE = 0


def kernel(
    audio: Row, audio_right: Row, speed: Row, rate_hz: Row, period_beats: Row, tempo_bpm: Row, depth: Row,
    hardness: Row, apart: Row, out: Row, out_right: Row, state: State, rate: Scalar,
) -> None:  # fmt: skip
    """State: phase."""
    phase, per = state[PHASE], 1.0 / rate
    for i in range(out.size):
        hard = 1.0 / fma(-0.97, hardness[i], 1.0)
        out[i] = audio[i] * _level(sine(phase), hard, depth[i])
        out_right[i] = audio_right[i] * _level(sine(fma(0.5, apart[i], phase)), hard, depth[i])
        hz = rate_hz[i] if speed[i] < 0.5 else tempo_bpm[i] * (1.0 / 60.0) / period_beats[i]
        phase = fma(min(hz, 0.25 * rate), per, phase)
        phase -= floor(phase)
    state[PHASE] = phase


@njit(error_model="numpy", forceinline=True)
def _level(wave: float, hard: float, depth: float) -> float:
    """Level for a sine that is made harder by being driven into its ends."""
    driven = hard * wave
    bent = driven / (1.0 + abs(driven)) * (1.0 + hard) / hard
    return fma(depth, 0.5 * bent - 0.5, 1.0)


MODULE = ModuleSpec(
    id="tremolo",
    name="Tremolo",
    stage="space",
    sentence="Modulates the level; with a phase offset between the channels the sound pans left and right.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", stereo=True),),
    params=(
        Param("speed", "Speed in", "choice", 0, 1, 0, "Hertz, or beats of the tempo.", ("hertz", "beats")),
        Param("rate_hz", "Rate", "hz", 0.01, 40, 4, "How often.", taper="octaves", amount=1.0,
              shown_when=("speed", (0,))),
        Param("period_beats", "Period", "beats", 1 / 32, 32, 0.5, "Period in beats.", taper="octaves",
              amount=1.0, shown_when=("speed", (1,))),
        Param("tempo_bpm", "Tempo", "bpm", 10, 400, 92, follows="tempo"),
        Param("depth", "Depth", "ratio", 0, 1, 0.6, "How far the level falls.", amount=0.3),
        Param("hardness", "Hardness", "ratio", 0, 1, 0.1, "From round to chopped.", amount=0.3),
        Param("apart", "Apart", "ratio", 0, 1, 0, "Phase offset of the right channel; fully, it is loud when the left "
              "is soft.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio", stereo=True, width="apart"),),
    state=1,
    cycle=Cycle(None, lambda g: g.values["period_beats"] * 60.0 / g.values["tempo_bpm"] if g.values["speed"]
                else 1.0 / g.values["rate_hz"], ("rate_hz", "period_beats", "speed")),
    face="rate_hz",
    passes="audio",
    words=("auto-pan", "pulse", "wobble", "chop", "breathing", "vibrato"),
    presets=(
        Preset("Auto-pan", "Goes slowly from side to side.",
               {"rate_hz": 0.25, "depth": 1.0, "hardness": 0.0, "apart": 1.0}, ("panning", "side to side", "autopan")),
        Preset("Chopper", "Cuts the sound up, eight times a second.",
               {"rate_hz": 8.0, "depth": 1.0, "hardness": 0.9}, ("chop", "gate effect", "stutter")),
    ),
    sources=("definition",),
)  # fmt: skip
