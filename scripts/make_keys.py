"""Writes the MIDI file that the simulated keyboard plays: slow chords as of somebody trying out a patch.

Run once; the file is part of the package (`python scripts/make_keys.py`).
"""

from __future__ import annotations

import random
from pathlib import Path

import mido

TICKS = 480
TARGET = Path(__file__).parent.parent / "src" / "dunefall" / "data" / "keys.mid"
CHORDS = ((45, 52, 60, 64), (41, 53, 57, 64), (48, 55, 59, 62), (43, 50, 57, 59))


def main() -> None:
    """Sixteen bars: a low note held through each, the notes of its chord above it one after the other."""
    chance = random.Random(3)
    file = mido.MidiFile(type=0, ticks_per_beat=TICKS)
    events: list[tuple[int, str, int, int]] = []
    for bar in range(16):
        start = bar * 4 * TICKS
        low, *above = CHORDS[bar % 4]
        events += [(start, "note_on", low, 70), (start + 4 * TICKS - 30, "note_off", low, 0)]
        for beat in range(1, 4):
            note, at = chance.choice(above) + 12 * chance.randrange(2), start + beat * TICKS + chance.randrange(40)
            events += [(at, "note_on", note, 50 + chance.randrange(60)), (at + TICKS, "note_off", note, 0)]
    track = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(66))])
    now = 0
    for at, kind, note, velocity in sorted(events, key=lambda event: (event[0], event[1] == "note_on")):
        track.append(mido.Message(kind, note=note, velocity=velocity, time=at - now))
        now = at
    file.tracks.append(track)
    file.save(TARGET)


if __name__ == "__main__":
    main()
