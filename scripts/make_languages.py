"""Writes src/dunefall/data/languages: the messages of the program (dunefall.pot), and each language compiled.

`python scripts/make_languages.py` finds every text in ``tr`` and ``tr_count`` and in the declarations, brings
the files of the translators (``CODE/LC_MESSAGES/dunefall.po``) up to date, and compiles them. It says what is not
translated.
"""

from __future__ import annotations

import ast
import os
import sys
from collections.abc import Iterator
from datetime import UTC, datetime
from io import BytesIO
from pathlib import Path

os.environ["DUNEFALL_LANGUAGE"] = "en"

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

from dunefall.base.language import FOLDER, LANGUAGES
from dunefall.base.units import UNITS
from dunefall.catalogue import catalogue
from dunefall.catalogue.declare import STAGES
from dunefall.catalogue.varying import KINDS
from dunefall.catalogue.wording import texts_of
from dunefall.deliver.jobfiles import presets
from dunefall.patch.files import load_patch
from dunefall.patch.library import starters
from dunefall.patch.model import CURVES
from dunefall.vary.words import DIMENSIONS

ROOT = Path(__file__).parent.parent / "src"
Message = str | tuple[str, str]
OTHERS = (
    "audio", "control", "gate", "level", "width", "send", "starter", "compound", "layer", "running", "waiting",
    "paused", "done", "failed", "clean", "check it", "versions", "packages", "sound", "outputs", "inputs",
    "real time", "processor", "code", "cache", "preferences", "data", "state", "library", "files", "window",
    "fonts", "errors", "ok", "wrong", *CURVES,
)  # fmt: skip
"""Kinds of signals, of what is touched in a row of the mix, of what can be added, states of jobs, verdicts on seams,
what the doctor looks at, and curves of links: ids as well."""


def in_code() -> Iterator[tuple[Message, str]]:
    """Every message of the code, with its file."""
    for path in sorted(ROOT.rglob("*.py")):
        tree = ast.parse(path.read_text("utf-8"))
        named = {
            target.id: node.value for node in tree.body if isinstance(node, ast.Assign)
            for target in node.targets if isinstance(target, ast.Name)
        }  # fmt: skip
        for node in filter(lambda node: isinstance(node, ast.Call), ast.walk(tree)):
            count = {"tr": 1, "tr_count": 2}.get(getattr(node.func, "id", ""), 0)
            given = [_texts(arg, named) for arg in node.args[:count]]
            for texts in zip(*given, strict=False):
                yield (texts if count == 2 else texts[0]), str(path.relative_to(ROOT))


def _texts(node: ast.expr, named: dict[str, ast.expr]) -> list[str]:
    """What an argument may be: a text, one that the file has a name for, or one of two."""
    if isinstance(node, ast.IfExp):
        return _texts(node.body, named) + _texts(node.orelse, named)
    value = named.get(node.id) if isinstance(node, ast.Name) else node
    return [value.value] if isinstance(value, ast.Constant) and isinstance(value.value, str) else []


def declared() -> Iterator[tuple[str, str]]:
    """Every message that is declared as data, with the place where."""
    for spec in catalogue().values():
        yield from ((text, f"the module {spec.id}") for text in texts_of(spec))
    for name, path in starters().items():
        patch = load_patch(path)
        yield from ((text, f"the starter {name}") for text in (patch.title, patch.about))
    for file in presets():
        yield from ((text, "the presets of Render") for text in (file.name, file.about))
    for dimension in DIMENSIONS:
        yield from ((text, "a word of Vary") for text in (dimension.less, dimension.more))
    yield from ((text, "an id that is shown") for text in (*STAGES, *KINDS, *OTHERS))
    yield from ((unit.amount_sign, "a unit") for unit in UNITS.values())


def template() -> Catalog:
    """All messages."""
    found = Catalog(project="Dunefall", charset="utf-8", fuzzy=False)
    for message, place in (*in_code(), *declared()):
        if any(sign.isalpha() for sign in "".join(message)):
            found.add(message, locations=[(place, 0)] if message not in found else ())
    return found


def plain(catalog: Catalog) -> bytes:
    """A catalogue as a file, without what changes by itself."""
    out = BytesIO()
    write_po(out, catalog, width=118, omit_header=False, include_lineno=False, sort_by_file=False)
    return b"".join(line for line in out.getvalue().splitlines(True) if not line.startswith((b'"POT-Cr', b'"PO-Rev')))


def compiled(catalog: Catalog) -> bytes:
    """A catalogue as the program reads it, without what changes by itself."""
    catalog.creation_date = catalog.revision_date = datetime(2026, 1, 1, tzinfo=UTC)
    out = BytesIO()
    write_mo(out, catalog)
    return out.getvalue()


def updated(code: str, messages: Catalog) -> Catalog:
    """A language with the messages of now; those that are gone are dropped."""
    path = FOLDER / code / "LC_MESSAGES" / "dunefall.po"
    known = read_po(BytesIO(path.read_bytes()), code) if path.exists() else Catalog(locale=code)
    known.update(messages, no_fuzzy_matching=True)
    known.obsolete.clear()
    return known


def main() -> int:
    """Write all files; 1 if a message is not translated."""
    messages, missing = template(), 0
    FOLDER.mkdir(parents=True, exist_ok=True)
    (FOLDER / "dunefall.pot").write_bytes(plain(messages))
    for code in LANGUAGES:
        if code == "en":
            continue
        catalog = updated(code, messages)
        path = FOLDER / code / "LC_MESSAGES" / "dunefall.po"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(plain(catalog))
        path.with_suffix(".mo").write_bytes(compiled(catalog))
        left = sum(not (all(m.string) if isinstance(m.string, tuple) else m.string) for m in catalog if m.id)
        missing += left
        print(f"{code}: {len(catalog)} messages, {left} not translated")
    return min(missing, 1)


if __name__ == "__main__":
    sys.exit(main())
