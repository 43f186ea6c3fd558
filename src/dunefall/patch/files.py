"""Patch files: one UTF-8 JSON document, written so that nothing that fails half-way costs the user a file.

Layout of format 3 (earlier ones: ``patch.migrations``): ``format``, ``title``, ``seed``, ``tempo_bpm``,
``layout`` where it is not stereo, ``about`` if it says something, ``pins``, ``layers`` (each ``id``, ``name``,
``folded``, ``group`` if it has one, ``voices``, ``spread`` and ``meet`` where one was set, and
``modules`` with ``id``, ``type``, ``name``, ``bypassed``, ``params``, with a sound file ``sound``: its ``path``,
relative to the patch, and the ``digest`` of its bytes, with lists of numbers that were drawn ``series``, and
``locked`` with values that chance leaves alone) and ``links`` (``id``, ``from``, ``to``, ``amount``, ``offset``,
``curve``, ``on``) and, if there are any, ``compounds`` (``id``, ``name``, ``about``, ``parts``, ``controls`` with
``at``, ``name``, ``low`` and ``high``, ``ports`` with ``at`` and ``name``, ``bypassed`` with what was ``resting``
before, and the file of the user's ``library`` with the ``digest`` of its bytes), and the ``family`` where something is
kept (see ``patch.familyfiles``), and ``moments`` (``at_s``, ``name``, ``until_s``) where some are marked, and the
``takes`` that are kept (see ``patch.entryfiles``). Fields and
module types that this version does not know are kept and saved again.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from dunefall.base.door import dump_json, parse_json, path_of, read_file
from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.base.layouts import LAYOUTS
from dunefall.base.storage import write_file
from dunefall.patch.compounds import check_compounds
from dunefall.patch.entryfiles import MAX_TAKES, dump_kept_take, raw_kept_take
from dunefall.patch.familyfiles import dump_family, raw_family
from dunefall.patch.fields import get, objects, others, within
from dunefall.patch.migrations import migrated
from dunefall.patch.model import (
    SHARED_ID,
    UNTITLED,
    KeptTake,
    Layer,
    Link,
    Patch,
)
from dunefall.patch.partfiles import (
    MAX_LINKS,
    MAX_MODULES,
    MAX_MOMENTS,
    SEEDS,
    TEMPOS_BPM,
    dump_compound,
    dump_layer,
    dump_link,
    dump_moment,
    layout_in,
    raw_compound,
    raw_layer,
    raw_link,
    raw_moment,
    split_place,
)
from dunefall.patch.recordings import with_recordings_beside, with_recordings_in
from dunefall.patch.take import Take

__all__ = [
    "FORMAT",
    "check_parts",
    "dump_patch",
    "load_patch",
    "parse_patch",
    "patch_of",
    "raw_patch",
    "save_patch",
    "with_sounds_beside",
    "with_sounds_in",
]

FORMAT = 3
_HOLDERS = (dict, list)
KINDS = ("take", "job", "compound")
"""What other files of the project say that they are."""
_PATCH_FIELDS = (
    "format",
    "title",
    "seed",
    "tempo_bpm",
    "layout",
    "about",
    "pins",
    "layers",
    "links",
    "compounds",
    "family",
    "moments",
    "takes",
)


def load_patch(path: Path) -> Patch:
    """Read a patch file.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    Patch
        A new patch.

    Raises
    ------
    StorageError
        If the file cannot be read.
    PatchError
        If it is no patch; the text gives the place in the file.
    """
    data = read_file(path)
    try:
        patch = patch_of(with_sounds_in(parse_json(data), path.parent))
        return _with_takes(patch, lambda kept: with_recordings_in(kept.take, path.parent, there=False))
    except PatchError as error:
        raise PatchError(tr("{name} cannot be opened: {error}", name=path.name, error=error)) from error


def parse_patch(data: bytes) -> Patch:
    """Patch of a file's bytes; raises PatchError with the place of the first fault."""
    return patch_of(parse_json(data))


def with_sounds_in(raw: object, folder: Path) -> object:
    """Objects and lists of a file in a folder, the paths of all sounds in them made absolute."""
    return _with_sound_paths(raw, lambda path: os.path.normpath(folder.absolute() / path_of(path, "sound.path")))


def with_sounds_beside(raw: object, folder: Path) -> object:
    """Objects and lists for a file in a folder, the paths of all sounds in them made relative to it."""
    return _with_sound_paths(raw, lambda path: Path(os.path.relpath(path, folder.absolute())).as_posix())


def _with_sound_paths(raw: object, change: Callable[[str], str]) -> object:
    if isinstance(raw, list):
        return [_with_sound_paths(item, change) if isinstance(item, _HOLDERS) else item for item in raw]
    if not isinstance(raw, dict):
        return raw
    made = {name: _with_sound_paths(item, change) if isinstance(item, _HOLDERS) else item for name, item in raw.items()}
    sound = made.get("sound")
    if isinstance(sound, dict) and isinstance(sound.get("path"), str):
        made["sound"] = {**sound, "path": change(sound["path"])}
    return made


def dump_patch(patch: Patch) -> str:
    """Text of a patch: stable order, one value per line; sounds by absolute paths."""
    return dump_json(raw_patch(patch))


def raw_patch(patch: Patch) -> dict[str, object]:
    """A patch as objects and lists, in the order of its file."""
    return {
        "format": FORMAT,
        "title": patch.title,
        "seed": patch.seed,
        "tempo_bpm": patch.tempo_bpm,
        **({"layout": patch.layout} if patch.layout != LAYOUTS[0].id else {}),
        **({"about": patch.about} if patch.about else {}),
        "pins": [str(pin) for pin in patch.pins],
        "layers": [dump_layer(layer) for layer in patch.layers],
        "links": [dump_link(link) for link in patch.links],
        **({"compounds": [dump_compound(compound) for compound in patch.compounds]} if patch.compounds else {}),
        **({"moments": [dump_moment(moment) for moment in patch.moments]} if patch.moments else {}),
        **({"family": dump_family(patch)} if patch.family.states else {}),
        **({"takes": [dump_kept_take(kept, patch) for kept in patch.takes]} if patch.takes else {}),
        **patch.extra,
    }


def save_patch(patch: Patch, path: Path) -> None:
    """Write a patch to a file by way of a temporary one, so that the old file stays whole if anything fails.

    Parameters
    ----------
    patch : Patch
        The patch; recordings of its takes are copied beside the file.
    path : Path
        The file.

    Raises
    ------
    StorageError
        If the folder cannot be written or the disk is full.
    """
    patch = _with_takes(patch, lambda kept: with_recordings_beside(kept.take, path, kept.name))
    write_file(dump_json(with_sounds_beside(raw_patch(patch), path.parent)), path)


def _with_takes(patch: Patch, change: Callable[[KeptTake], Take]) -> Patch:
    if not patch.takes:
        return patch
    return replace(patch, takes=tuple(replace(kept, take=change(kept)) for kept in patch.takes))


def _version_of(raw: dict[str, object]) -> int:
    version = get(raw, "format", int, "")
    if version > FORMAT:
        text = tr("needs a newer Dunefall: the file has format {version}, this version reads up to {newest}",
                  version=version, newest=FORMAT)  # fmt: skip
        raise PatchError(text, place="format")
    if version < 1:
        raise PatchError(tr("must be 1 to {newest}; got {version}", newest=FORMAT, version=version), place="format")
    return version


def patch_of(raw: object) -> Patch:
    """Patch of its objects and lists; raises PatchError with the place of the first fault.

    Parameters
    ----------
    raw : dict
        The object's fields in the file.

    Returns
    -------
    Patch
        A new patch.

    Raises
    ------
    PatchError
        If a field is missing, of another kind, or refers to what is not there.
    """
    raw = _a_patch(raw)
    version = _version_of(raw)
    seed = within(raw, "seed", int, "", SEEDS, 1)
    tempo = within(raw, "tempo_bpm", float, "", TEMPOS_BPM, 92.0, "BPM")
    layout = layout_in(raw, "")
    if "layers" not in raw:
        raise PatchError(tr('the file holds no patch: there are no "layers" in it'))
    layers = tuple(raw_layer(item, place) for item, place in objects(raw, "layers", "", MAX_MODULES))
    if not any(layer.id == SHARED_ID for layer in layers):
        layers = (Layer(SHARED_ID, tr("Shared")), *layers)
    links = tuple(raw_link(item, place) for item, place in objects(raw, "links", "", MAX_LINKS))
    check_parts(layers, links)
    modules = {module.id for layer in layers for module in layer.modules}
    pins = [split_place(pin, f"pins[{i}]") for i, pin in enumerate(get(raw, "pins", list, "", []))]
    patch = Patch(
        title=get(raw, "title", str, "", UNTITLED),
        seed=seed,
        tempo_bpm=tempo,
        layout=layout,
        about=get(raw, "about", str, "", ""),
        layers=layers,
        links=links,
        compounds=tuple(raw_compound(item, place) for item, place in objects(raw, "compounds", "", MAX_MODULES)),
        pins=tuple(pin for pin in pins if pin.module in modules)[:4],
        moments=tuple(raw_moment(item, place) for item, place in objects(raw, "moments", "", MAX_MOMENTS)),
        extra=others(raw, _PATCH_FIELDS),
    )
    check_compounds(patch)
    family = get(raw, "family", dict, "", {})
    patch = migrated(patch, version)
    takes = tuple(raw_kept_take(item, place, patch) for item, place in objects(raw, "takes", "", MAX_TAKES))
    return replace(patch, family=raw_family(family, patch), takes=takes) if family or takes else patch


def _a_patch(raw: object) -> dict[str, object]:
    """What a file holds, if it is a patch by its looks."""
    if not isinstance(raw, dict):
        raise PatchError(tr("the file does not hold a patch (its outermost part is not an object)"))
    if "kind" in raw and "layers" not in raw:
        if raw["kind"] in KINDS:
            raise PatchError(tr("the file holds a {kind}, and no patch", kind=raw["kind"]))
        raise PatchError(tr("the file holds no patch"))
    return raw


def check_parts(layers: tuple[Layer, ...], links: tuple[Link, ...]) -> None:
    """Refuse what could not be told apart, and links that begin or end nowhere.

    Parameters
    ----------
    layers : tuple of Layer
        All layers.
    links : tuple of Link
        All links.

    Raises
    ------
    PatchError
        With the place of the first fault.
    """
    _check_unique_ids(layers)
    _check_links(layers, links)


def _check_unique_ids(layers: tuple[Layer, ...]) -> None:
    seen: dict[str, str] = {}
    total = 0
    for i, layer in enumerate(layers):
        ids = [(layer.id, f"layers[{i}].id")]
        ids += [(module.id, f"layers[{i}].modules[{j}].id") for j, module in enumerate(layer.modules)]
        total += len(layer.modules)
        for name, place in ids:
            if not name or "." in name or "#" in name:
                raise PatchError(
                    tr('an id needs at least one character, no dot and no "#"; got "{name}"', name=name), place=place
                )
            if name in seen:
                raise PatchError(
                    tr('the id "{name}" is already used at {seen}', name=name, seen=seen[name]), place=place
                )
            seen[name] = place
    if total > MAX_MODULES:
        raise PatchError(
            tr("the patch has {total} modules; at most {MAX_MODULES} are allowed", total=total, MAX_MODULES=MAX_MODULES)
        )


def _check_links(layers: tuple[Layer, ...], links: tuple[Link, ...]) -> None:
    modules = {module.id for layer in layers for module in layer.modules}
    seen: set[str] = set()
    for index, link in enumerate(links):
        if link.id in seen:
            raise PatchError(tr('the id "{id}" is used by two links', id=link.id), place=f"links[{index}].id")
        seen.add(link.id)
        for end, place in ((link.source, "from"), (link.target, "to")):
            if end.module not in modules:
                raise PatchError(
                    tr('there is no module "{module}"', module=end.module), place=f"links[{index}].{place}"
                )
