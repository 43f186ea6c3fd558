"""Sounds from files, as kernels read them: converted once, in pieces, then mapped into memory.

A file is imported under the digest of its bytes: decoded to 32-bit numbers, channel after channel, into a file of the
cache folder that every process maps. So a file of two hours needs no more memory than what is being played, a patch
keeps its sound as long as the cache does, and a changed file of the same name is another sound.
"""

from __future__ import annotations

import contextlib
import hashlib
import math
import os
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray

from dunefall.base.caches import cache_folder, cannot_keep
from dunefall.base.door import path_of
from dunefall.base.errors import DunefallError, PatchError, StorageError
from dunefall.base.language import tr
from dunefall.base.pages import read_at_hand
from dunefall.catalogue.declare import ModuleSpec
from dunefall.dsp import responses
from dunefall.dsp.cache import kept_folder, sources_of
from dunefall.dsp.partitions import prepared_response
from dunefall.dsp.wavetables import FRAMES, built_in_tables, tables_of_sound
from dunefall.patch.library import DATA
from dunefall.patch.model import Module, Patch, SoundRef

__all__ = [
    "LONGEST_S",
    "SILENCE",
    "Sound",
    "built_in",
    "import_sounds",
    "mapped",
    "prepared",
    "shipped",
    "sounds_ready",
    "take_in",
]

SHIPPED = DATA / "sounds" / "iron-gate.flac"
LONGEST_S = 4 * 3600.0
MOST_IN_MEMORY = 1 << 26
"""Numbers of a sound that is kept in memory where no copy can be written: 256 MB."""
MOST_CHANNELS = 64
SUFFIX = ".f32"
KNOWN_BY = (b"RIFF", b"RIFX", b"RF64", b"riff", b"FORM", b"fLaC", b"OggS", b".snd", b"caff")
"""How files begin that can be read: WAV, its large kinds, AIFF, FLAC, Ogg, AU and CAF."""
NO_SOUND = tr("is not a sound file Dunefall can read: use WAV, FLAC, Ogg or AIFF")
_DIGEST, _NAME = re.compile("[0-9a-f]{32}"), re.compile("[0-9a-f]{32}-[0-9]+-([12])(?:-([0-9]+))?")
_BYTES, _FRAMES = 1 << 20, 1 << 18
Report = Callable[[int, int], None]


@dataclass(frozen=True, eq=False)
class Sound:
    """What a kernel reads.

    Attributes
    ----------
    samples : ndarray of float32
        Row after row.
    rows : int
        Channels (1 or 2), or frames of each wavetable.
    rate_hz : int
    """

    samples: NDArray[np.float32]
    rows: int
    rate_hz: int


SILENCE = Sound(np.zeros(0, np.float32), 1, 48000)
_mapped: dict[str, Sound] = {}
_in_memory: set[str] = set()
"""Digests of sounds of which no copy could be kept."""
_made: dict[str, Sound] = {}
"""Wavetables and responses by the digest of their sound, or by what they are computed from."""
MOST_AT_HAND = 64
"""So many sounds, each a handle and a mapping, and so many wavetables and responses."""


def sounds_folder() -> Path:
    """The folder of converted sounds; made if that is possible."""
    return cache_folder("sounds")


def take_in(path: Path, report: Report | None = None, *, alone: bool = False) -> SoundRef:
    """Convert a sound file for the players; a file imported before is only hashed.

    Parameters
    ----------
    path : Path
        The file.
    report : function of (done, total)
        Called between pieces; what it raises ends the work, and nothing is left behind.
    alone : bool
        Nobody but this process plays it: where no copy can be kept, it is kept in memory.

    Returns
    -------
    SoundRef

    Raises
    ------
    StorageError
        If it cannot be read, is no sound, is empty, too long, or the disk is full.
    """
    report = report or (lambda done, total: None)
    path = path.absolute()
    try:
        path_of(str(path))
    except PatchError as error:
        raise StorageError(tr("{error}: a patch could not keep it; rename the file", error=error)) from error
    with _opened(path) as file:
        total = 2 * file.frames
        ref = SoundRef(str(path), _digest_of(path, lambda share: report(round(share * file.frames), total)))
        if not _had(ref.digest):
            _convert(file, ref, lambda done: report(file.frames + done, total), alone)
    report(total, total)
    return ref


def sounds_ready(patch: Patch) -> bool:
    """Whether all sounds of a patch have been imported."""
    return all(module.sound is None or _had(module.sound.digest) for module in patch.modules())


def import_sounds(patch: Patch, report: Report | None = None, *, alone: bool = False) -> list[str]:
    """Have the sounds of all modules; gives a sentence for each that is missing or not the same any more.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    report : function of (int, int)
        Called with what is done and how much there is.
    alone : bool
        Nobody but this process plays them.

    Returns
    -------
    list[str]
    """
    troubles = []
    for module in patch.modules():
        ref = module.sound
        if ref is None or _had(ref.digest):
            continue
        try:
            found = take_in(path_of(ref.path), report, alone=alone)
        except DunefallError as error:
            troubles.append(tr("“{name}” is silent: {error}", name=module.name, error=error))
            continue
        if found.digest != ref.digest:
            troubles.append(tr("“{name}” is silent: {name_2} is not the sound that the patch was made with; "
                               "choose it again to use it as it is now", name=module.name,
                               name_2=Path(ref.path).name))  # fmt: skip
    return troubles


def prepared(spec: ModuleSpec, module: Module, rate: float) -> Sound:
    """What a module's kernel reads at a rate in Hz; silence where its file has not been imported. Without a file of the
    user's it is the shipped one, the built-in tables, or a computed place.

    Parameters
    ----------
    spec : ModuleSpec
        Declaration of the module.
    module : Module
        Id of the module.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    Sound
    """
    if spec.sound == "response":
        return _response(module.sound, round(module.params.get("place", 0.0)), rate)
    if spec.sound == "table":
        return _tables(module.sound) if module.sound else built_in()
    return mapped(module.sound or shipped()) if spec.sound else SILENCE


@cache
def shipped() -> SoundRef:
    """The sound that a player has until it is given another one."""
    return take_in(SHIPPED, alone=True)


def mapped(ref: SoundRef) -> Sound:
    """An imported sound; silence if it has not been imported.

    Parameters
    ----------
    ref : SoundRef
        The sound file.

    Returns
    -------
    Sound
    """
    if (known := _at_hand(_mapped, ref.digest)) is not None:
        return known
    path = _converted(ref.digest)
    if path is None:
        return SILENCE
    _, rate, rows, *_ = path.stem.split("-")
    return _keep(_mapped, ref.digest, Sound(_mapped_file(path), int(rows), int(rate)))


def _at_hand(store: dict[str, Sound], key: str) -> Sound | None:
    """A sound that was asked for before, now the one that was asked for last."""
    sound = store.pop(key, None)
    if sound is not None:
        store[key] = sound
    return sound


def _keep(store: dict[str, Sound], key: str, sound: Sound) -> Sound:
    """Keep a sound at hand, and let go of the one that nobody has asked for for longest; what plays it has it still."""
    store[key] = sound
    if len(store) > MOST_AT_HAND:  # other threads may do the same meanwhile
        oldest = next((k for k in tuple(store) if k not in _in_memory), key)
        if oldest != key:
            store.pop(oldest, None)
    return sound


def _mapped_file(path: Path) -> NDArray[np.float32]:
    """The samples of a file without a copy, all of them in memory by now."""
    samples = np.memmap(path, np.float32, "r")
    read_at_hand(samples)
    return samples


@cache
def built_in() -> Sound:
    """The built-in wavetables, worked out once for these sources."""
    path = kept_folder("tables", sources_of("import dunefall.dsp.wavetables")) / f"tables{SUFFIX}"
    seal = path.with_suffix(".seal")
    try:
        if seal.read_text() == _digest_of(path, lambda share: None):
            return Sound(_mapped_file(path), FRAMES, 48000)
    except (OSError, ValueError, StorageError):
        pass
    tables = built_in_tables()
    try:
        _put(path, data := tables.tobytes())
        _put(seal, hashlib.blake2b(data, digest_size=16).hexdigest().encode())
    except OSError as error:
        cannot_keep(path.parent, error)
    return Sound(tables.reshape(-1), FRAMES, 48000)


def _put(path: Path, data: bytes) -> None:
    part = path.with_suffix(f".{os.getpid()}.part")
    part.write_bytes(data)
    os.replace(part, path)


def _tables(ref: SoundRef) -> Sound:
    sound = mapped(ref)
    if not len(sound.samples):
        return SILENCE
    if (known := _at_hand(_made, ref.digest)) is not None:
        return known
    tables, frames = tables_of_sound(sound.samples[: len(sound.samples) // sound.rows])
    return _keep(_made, ref.digest, Sound(tables, frames, 48000))


def _response(ref: SoundRef | None, place: int, rate: float) -> Sound:
    """A response as its kernel reads it, left and right of the same energy, cut to the longest that is used."""
    key = f"{ref.digest if ref else place}-{rate:g}"
    if (known := _at_hand(_made, key)) is not None:
        return known
    sound = mapped(ref) if ref else SILENCE
    if ref and not len(sound.samples):
        return Sound(prepared_response(np.zeros((2, 1))).view(np.float32), 1, round(rate))
    both = responses.response(place, rate) if ref is None else _heard(sound, rate)
    return _keep(_made, key, Sound(prepared_response(both).view(np.float32), 1, round(rate)))


def _heard(sound: Sound, rate: float) -> NDArray[np.float64]:
    """Both channels of a recorded response at a rate, with an energy of 1 for each."""
    rows = sound.samples.reshape(sound.rows, -1)[:, : round(responses.LONGEST_S * sound.rate_hz)].astype(np.float64)
    if sound.rate_hz != round(rate):
        rows = soxr.resample(rows.T, sound.rate_hz, round(rate), "VHQ").reshape(-1, sound.rows).T
    both = np.concatenate([rows, rows])[:2] if sound.rows == 1 else rows
    return np.asarray(both / max(math.sqrt(np.sum(both**2) / 2), 1e-12))


def _opened(path: Path) -> soundfile.SoundFile:
    try:
        with path.open("rb") as data:
            begins = data.read(4)
    except OSError as error:
        raise StorageError(tr("cannot read {path}: {reason}", path=path, reason=error.strerror or error)) from error
    mpeg = begins[:3] == b"ID3" or begins[:1] == b"\xff"
    if begins not in KNOWN_BY and not mpeg:  # the library would look for MPEG audio in anything
        raise StorageError(f"{path.name} {NO_SOUND}")
    try:
        with _quiet(mpeg):
            file = soundfile.SoundFile(path)
    except (OSError, TypeError, ValueError, soundfile.SoundFileError) as error:
        raise StorageError(f"{path.name} {NO_SOUND}") from error
    fault = ""
    if file.frames <= 0:
        fault = tr("holds no sound: it is empty")
    elif file.frames > LONGEST_S * file.samplerate:
        hours = file.frames / file.samplerate / 3600
        fault = tr("is {hours:.1f} hours long; the longest that can be played is {LONGEST_S:.0f} hours", hours=hours,
                   LONGEST_S=LONGEST_S / 3600)  # fmt: skip
    elif file.channels > MOST_CHANNELS or not 1000 <= file.samplerate <= 768000:
        fault = tr("has {channels} channels at {samplerate} Hz; that cannot be played", channels=file.channels,
                   samplerate=file.samplerate)  # fmt: skip
    if fault:
        file.close()
        raise StorageError(f"{path.name} {fault}")
    return file


@contextlib.contextmanager
def _quiet(mpeg: bool) -> Iterator[None]:
    """MPEG audio is read by a library that writes its complaints to the terminal: they go nowhere."""
    if not mpeg:
        yield
        return
    kept, nowhere = os.dup(2), os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 2)
    try:
        yield
    finally:
        os.dup2(kept, 2)
        os.close(kept)
        os.close(nowhere)


def _digest_of(path: Path, report: Callable[[float], None]) -> str:
    made, done, size = hashlib.blake2b(digest_size=16), 0, max(path.stat().st_size, 1)
    try:
        with path.open("rb") as data:
            while piece := data.read(_BYTES):
                made.update(piece)
                done += len(piece)
                report(min(done / size, 1.0))
    except OSError as error:
        raise StorageError(tr("cannot read {path}: {reason}", path=path, reason=error.strerror or error)) from error
    return made.hexdigest()


def _had(digest: str) -> bool:
    """Whether a sound can be played: it has been converted, or is in memory."""
    return digest in _in_memory or _converted(digest) is not None


def _converted(digest: str) -> Path | None:
    """The conversion of a digest, whose name also holds rate and channels; None if there is no such digest or
    conversion."""
    if not _DIGEST.fullmatch(digest):
        return None
    for path in sounds_folder().glob(f"{digest}-*{SUFFIX}"):
        found, size = _NAME.fullmatch(path.stem), path.stat().st_size
        if found and size and size % (4 * int(found[1])) == 0 and found[2] in (None, str(size // (4 * int(found[1])))):
            return path
    return None


def _convert(file: soundfile.SoundFile, ref: SoundRef, report: Callable[[int], None], alone: bool) -> None:
    """All frames, piece by piece; of more than two channels the odd ones go to the left and the even ones to the
    right."""
    rows = min(file.channels, 2)
    path = sounds_folder() / f"{ref.digest}-{file.samplerate}-{rows}-{file.frames}{SUFFIX}"
    part = path.with_suffix(f".{os.getpid()}.part")
    done = 0
    try:
        with part.open("wb") as made, _quiet(file.format in ("MPEG", "MP3")):
            while done < file.frames:
                piece = file.read(_FRAMES, dtype="float32", always_2d=True)
                if not len(piece):
                    break
                for row in range(rows):
                    made.seek(4 * (row * file.frames + done))
                    made.write(_channel(piece, row, rows).tobytes())
                done += len(piece)
                report(done)
            if done < file.frames:
                raise StorageError(tr("{name} is broken: it ends after {done} of {frames} samples",
                                      name=Path(ref.path).name, done=done, frames=file.frames))  # fmt: skip
        os.replace(part, path)
    except soundfile.SoundFileError as error:
        raise StorageError(tr("{name} is broken: {error}", name=Path(ref.path).name, error=error)) from error
    except OSError as error:
        if not alone or file.frames * rows > MOST_IN_MEMORY:
            raise StorageError(tr("cannot keep a copy of {path} in {parent}: {reason}", path=ref.path,
                                  parent=path.parent, reason=error.strerror or error)) from error  # fmt: skip
        cannot_keep(path.parent, error)
        file.seek(0)
        sound = file.read(dtype="float32", always_2d=True)
        samples = np.concatenate([_channel(sound, row, rows) for row in range(rows)])
        _mapped[ref.digest] = Sound(samples, rows, file.samplerate)
        _in_memory.add(ref.digest)
    finally:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)


def _channel(piece: NDArray[np.float32], row: int, rows: int) -> NDArray[np.float32]:
    """One channel; what is no number becomes 0."""
    sound = piece[:, row::rows].mean(axis=1, dtype=np.float32)
    return np.asarray(np.nan_to_num(np.clip(sound, -1e6, 1e6), nan=0.0), np.float32)
