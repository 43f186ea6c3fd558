"""The tree imports downwards only, without circles, and nothing outside app/ knows Qt, not even inside a function."""

from __future__ import annotations

import ast
import os
import shutil
import subprocess
import sys
from collections.abc import Collection
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

MOST_FILE_LINES, MOST_FUNCTION_LINES = 500, 60
SOURCE = Path(__file__).parent.parent / "src" / "dunefall"
ORDER = (
    "app",
    "cli",
    "session",
    "engine",
    "vary",
    "survey",
    "deliver",
    "render",
    "compiler",
    "catalogue",
    "analysis",
    "dsp",
    "patch",
    "base",
)
INSIDE_APP = ("shell", "workspaces", "inspector", "watch", "editing", "listening", "model", "controls")
"""The folders of app/, each of which may import those behind it."""
QT = ("PySide6", "shiboken6", "PyQt5", "PyQt6", "qtpy")
LAZY_UPWARDS = {("cli", "app")}
"""The command line may start the window."""


def imports_of(file: Path, modules: Collection[str] = ()) -> list[str]:
    """Everything that a file imports, wherever in it. A name that is one of the modules counts as that module; any
    other one as its package."""
    names: list[str] = []
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.Import):
            names += [alias.name for alias in node.names]
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, f"{file}: imports are absolute"
            inner = [f"{node.module}.{alias.name}" for alias in node.names]
            names += [name if name in modules or node.module == "dunefall" else node.module or "" for name in inner]
    return names


def violations(root: Path) -> list[str]:
    """Every import that points up the list, or to Qt outside app/."""
    found = []
    for file in sorted(root.rglob("*.py")):
        parts = file.relative_to(root).with_suffix("").parts
        for name in imports_of(file):
            upwards = False
            if name.startswith("dunefall."):
                target = name.split(".")[1:]
                upwards = _upwards(ORDER, parts[0], target[0]) and (parts[0], target[0]) not in LAZY_UPWARDS
                if parts[0] == target[0] == "app" and len(parts) > 2 and len(target) > 1:
                    upwards = upwards or _upwards(INSIDE_APP, parts[1], target[1])
            if upwards or (name.split(".")[0] in QT and parts[0] != "app"):
                found.append(f"{file.relative_to(root)}: {name}")
    return found


def _upwards(order: tuple[str, ...], part: str, target: str) -> bool:
    return part in order and target in order and order.index(target) < order.index(part)


def circle(root: Path) -> list[str]:
    """The modules of an import circle, if there is one."""
    files = {".".join(("dunefall", *file.relative_to(root).with_suffix("").parts)): file for file in root.rglob("*.py")}
    files = {name.removesuffix(".__init__"): file for name, file in files.items()}
    graph = {
        name: {other for other in imports_of(file, files) if other in files} - {name} for name, file in files.items()
    }
    graph["dunefall.cli"] -= {name for name in graph["dunefall.cli"] if name.startswith("dunefall.app")}
    try:
        TopologicalSorter(graph).prepare()
    except CycleError as error:
        return list(error.args[1])
    return []


def test_every_folder_is_in_the_order() -> None:
    folders = {p.name for p in SOURCE.iterdir() if p.is_dir() and any(p.rglob("*.py"))}
    files = {p.stem for p in SOURCE.glob("*.py")} - {"__init__", "__main__"}
    assert folders | files <= set(ORDER)


def test_imports_point_down_and_only_app_knows_qt() -> None:
    assert violations(SOURCE) == []


def test_every_folder_of_the_window_has_a_subject() -> None:
    app = SOURCE / "app"
    assert {p.name for p in app.iterdir() if p.is_dir() and p.name != "__pycache__"} == set(INSIDE_APP)
    assert [p.name for p in app.glob("*.py")] == ["__init__.py"], "nothing stands outside a subject"


def test_there_is_no_circle() -> None:
    assert circle(SOURCE) == []


def test_a_planted_circle_is_found(tmp_path: Path) -> None:
    copy = tmp_path / "dunefall"
    shutil.copytree(SOURCE, copy)
    with (copy / "patch" / "model.py").open("a") as file:
        file.write("\n\ndef planted() -> None:\n    from dunefall.patch import document\n")
    assert {"dunefall.patch.model", "dunefall.patch.document"} <= set(circle(copy))


def test_no_class_has_two_parents_of_the_project() -> None:
    bases: dict[str, list[str]] = {}
    for file in SOURCE.rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.ClassDef):
                names = [base.id for base in node.bases if isinstance(base, ast.Name)]
                bases[f"{file.stem}.{node.name}"] = names
    own = {name.partition(".")[2] for name in bases}
    assert {
        name: [base for base in found if base in own] for name, found in bases.items() if len(own & {*found}) > 1
    } == {}


def test_files_and_functions_fit() -> None:
    """At most 500 lines a file, 60 a function, its docstring included."""
    long_files, long_functions = [], []
    for file in SOURCE.rglob("*.py"):
        text = file.read_text()
        if len(text.splitlines()) > MOST_FILE_LINES:
            long_files.append(file.name)
        long_functions += [
            f"{file.name}: {node.name}"
            for node in ast.walk(ast.parse(text))
            if isinstance(node, ast.FunctionDef) and (node.end_lineno or 0) - node.lineno + 1 > MOST_FUNCTION_LINES
        ]
    assert (long_files, long_functions) == ([], [])


def test_the_contract_bites(tmp_path: Path) -> None:
    copy = tmp_path / "dunefall"
    shutil.copytree(SOURCE, copy)
    with (copy / "base" / "units.py").open("a") as file:
        file.write("\n\ndef planted() -> None:\n    from PySide6.QtCore import QObject\n")
    with (copy / "dsp" / "maths.py").open("a") as file:
        file.write("\nif False:\n    from dunefall.engine import client\n")
    with (copy / "app" / "controls" / "rail.py").open("a") as file:
        file.write("\n\ndef planted() -> None:\n    from dunefall.app.workspaces import mix\n")
    found = violations(copy)
    assert any(line.startswith("app/controls/rail.py: dunefall.app.workspaces") for line in found)
    assert any(line.startswith("base/units.py: PySide6") for line in found)
    assert any(line.startswith("dsp/maths.py: dunefall.engine") for line in found)


def test_the_core_runs_where_qt_cannot_be_imported() -> None:
    code = (
        "import sys\n"
        "for name in ('PySide6', 'shiboken6'): sys.modules[name] = None\n"
        "import dunefall.session, dunefall.engine.client, dunefall.deliver.queue\n"
        "from dunefall.cli import main\n"
        "raise SystemExit(main(['check', 'demo:']))\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=120)
    assert done.returncode == 0, done.stderr
    assert "good" in done.stdout


def test_the_window_starts_without_what_it_seldom_needs() -> None:
    """`scipy.signal` alone took half of the time until the window could be made."""
    code = "import sys, dunefall.app.shell.window\n"
    code += "print([x for x in ('scipy.signal', 'scipy.special', 'scipy.stats', 'dask') if x in sys.modules])"
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run([sys.executable, "-c", code], env=environment, capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
