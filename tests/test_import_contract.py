"""The layers of the tree import downwards only, and nothing outside of app/ knows Qt, not even inside a function."""

from __future__ import annotations

import ast
import shutil
import subprocess
import sys
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src" / "dunefall"
ORDER = ("app", "cli", "session", "engine", "render", "compiler", "catalogue", "analysis", "dsp", "patch", "base")
QT = ("PySide6", "shiboken6", "PyQt5", "PyQt6", "qtpy")
LAZY_UPWARDS = {("cli", "app")}
"""The command line may start the window."""


def violations(root: Path) -> list[str]:
    """Every import that points up the list, or to Qt outside of app/."""
    found = []
    for file in sorted(root.rglob("*.py")):
        part = file.relative_to(root).parts[0].removesuffix(".py")
        for node in ast.walk(ast.parse(file.read_text())):
            names: list[str] = []
            if isinstance(node, ast.Import):
                names = [alias.name for alias in node.names]
            elif isinstance(node, ast.ImportFrom):
                assert node.level == 0, f"{file}: imports are absolute"
                names = [node.module or ""]
                names += [f"{node.module}.{alias.name}" for alias in node.names if node.module == "dunefall"]
            for name in names:
                if name.split(".")[0] in QT and part != "app":
                    found.append(f"{file.relative_to(root)}: {name}")
                target = name.split(".")[1] if name.startswith("dunefall.") else ""
                inside = part in ORDER and target in ORDER and (part, target) not in LAZY_UPWARDS
                if inside and ORDER.index(target) < ORDER.index(part):
                    found.append(f"{file.relative_to(root)}: {name}")
    return found


def test_every_folder_is_in_the_order() -> None:
    folders = {p.name for p in SOURCE.iterdir() if p.is_dir() and any(p.rglob("*.py"))}
    files = {p.stem for p in SOURCE.glob("*.py")} - {"__init__"}
    assert folders | files <= set(ORDER)


def test_imports_point_down_and_only_app_knows_qt() -> None:
    assert violations(SOURCE) == []


def test_the_contract_bites(tmp_path: Path) -> None:
    copy = tmp_path / "dunefall"
    shutil.copytree(SOURCE, copy)
    with (copy / "base" / "units.py").open("a") as file:
        file.write("\n\ndef planted() -> None:\n    from PySide6.QtCore import QObject\n")
    with (copy / "dsp" / "maths.py").open("a") as file:
        file.write("\nif False:\n    from dunefall.engine import client\n")
    found = violations(copy)
    assert any(line.startswith("base/units.py: PySide6") for line in found)
    assert any(line.startswith("dsp/maths.py: dunefall.engine") for line in found)


def test_the_core_runs_where_qt_cannot_be_imported() -> None:
    code = (
        "import sys\n"
        "for name in ('PySide6', 'shiboken6'): sys.modules[name] = None\n"
        "import dunefall.session, dunefall.engine.client, dunefall.render.job\n"
        "from dunefall.cli import main\n"
        "raise SystemExit(main(['check', 'demo:']))\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=120)
    assert done.returncode == 0, done.stderr
    assert "good" in done.stdout
