"""Sounds into files: WAV, FLAC, Ogg Vorbis and Opus, whole or not at all."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from dunefall.base.errors import StorageError
from dunefall.base.language import tr
from dunefall.base.storage import whole
from dunefall.deliver.dither import dithered
from dunefall.deliver.measure import Measures
from dunefall.deliver.ogg import set_serial
from dunefall.deliver.wavchunks import About, add_chunks, chunks_of

__all__ = ["SUFFIXES", "write_sound"]

SUFFIXES = {"wav": ".wav", "flac": ".flac", "ogg": ".ogg", "opus": ".opus"}
PIECE = 1 << 17
MOST_RIFF_BYTES = 0xFFFFFFFF - (1 << 20)
"""Above this a WAV file is an RF64 one; a megabyte is left for what it says about itself."""
BYTES = {"16": 2, "24": 3, "32f": 4}


def _form(kind: str, depth: str, channels: int, frames: int) -> tuple[str, str]:
    """Format and subtype, as ``soundfile`` calls them."""
    if kind == "wav":
        subtype = {"16": "PCM_16", "24": "PCM_24", "32f": "FLOAT"}[depth]
        if frames * channels * BYTES[depth] > MOST_RIFF_BYTES:
            return "RF64", subtype
        return ("WAV" if channels <= 2 else "WAVEX"), subtype  # WAVEX says where each channel belongs
    if kind == "flac":
        return "FLAC", "PCM_16" if depth == "16" else "PCM_24"
    return "OGG", "VORBIS" if kind == "ogg" else "OPUS"


def write_sound(
    sound: NDArray[np.float64], path: Path, *, kind: str, depth: str, rate: int, about: About, measures: Measures
) -> None:
    """Write a sound to a file, which appears only when it is whole; one of the same name stays until then.

    It is not on the disk for certain before ``base.storage.synced``.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        What is written; full scale is 1.
    path : Path
        The file.
    kind : str
        One of ``SUFFIXES``.
    depth : str
        16, 24 or 32f: of a WAV; FLAC takes 16 or 24. Whole numbers are dithered, by the seed.
    rate : int
        Sample rate in Hz.
    about : About
        What is written into it.
    measures : Measures
        Of the sound.

    Raises
    ------
    StorageError
        If it cannot be written; nothing is left behind.
    """
    form, subtype = _form(kind, depth, sound.shape[1], len(sound))
    try:
        with whole(path) as part:
            _write_part(sound, part, kind, form, subtype, rate, about, measures)
    except soundfile.SoundFileError as error:
        raise StorageError(tr("cannot write {path}: {error}", path=path, error=error)) from error


def _write_part(
    sound: NDArray[np.float64], part: Path, kind: str, form: str, subtype: str, rate: int, about: About,
    measures: Measures,
) -> None:  # fmt: skip
    with soundfile.SoundFile(part, "w", rate, sound.shape[1], subtype=subtype, format=form) as file:
        if kind != "wav":
            file.title, file.artist = about.title, about.artist or "Dunefall"
            file.comment, file.software = about.comment or f"seed {about.seed}", about.program
            if about.broadcast:
                file.date = about.made.partition("T")[0]
        _write(file, sound, subtype, about.seed)
    if kind == "wav":
        width = {"PCM_16": "A=PCM,W=16", "PCM_24": "A=PCM,W=24", "FLOAT": "A=IEEE,W=32"}[subtype]
        channels = {1: "mono", 2: "stereo"}.get(sound.shape[1], "multichannel")
        coding = f"{width},F={rate},M={channels}"
        add_chunks(part, chunks_of(about, measures, rate, sound.shape[1], coding))
    if form == "OGG":
        set_serial(part, about.seed)


def _write(file: soundfile.SoundFile, sound: NDArray[np.float64], subtype: str, seed: int) -> None:
    dice = np.random.PCG64(seed)
    for at in range(0, len(sound), PIECE):
        piece = np.asarray(sound[at : at + PIECE])
        if subtype.startswith("PCM"):
            file.write(dithered(piece, int(subtype.removeprefix("PCM_")), dice))
        elif subtype == "FLOAT":
            file.write(piece.astype(np.float32))
        else:
            file.write(np.clip(piece, -1.0, 1.0))
