"""Small mistakes planted one at a time, to see whether the nearest tests notice.

`python -m bench.mutations --count 60 --seed 1 [--only patch] [--out build/mutations.json]` takes seeded samples from
patch, compiler, render, session, engine and ten kernels: a comparison off by one, a condition dropped or turned, a sum
made a difference, a constant moved, an "and" made an "or", the smaller made the larger. Each mutant runs in a copy of
the sources with the tests that stand nearest (the file of the same name, then the folder). What survives is listed with
its place, so that a test can be written, or the reason given why it does not matter (bench/survivors.json).
"""

from __future__ import annotations

import argparse
import ast
import copy
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
KNOWN = ROOT / "bench" / "survivors.json"
FOLDERS = ("patch", "compiler", "render", "deliver", "session", "engine")
KERNELS = (
    "time/clock", "time/divider", "time/chance", "motion/lfo", "motion/envelope", "motion/slew", "pitch/quantiser",
    "source/oscillator", "shape/filter", "space/delay",
)  # fmt: skip
TESTS = {
    "patch": ("tests/patch",), "compiler": (
        "tests/compiler/test_program.py", "tests/compiler/test_graph.py", "tests/compiler/test_channels.py",
        "tests/compiler/test_voices.py", "tests/compiler/test_mixing.py", "tests/dsp/test_cache.py",
        "tests/compiler/test_same_sound.py",
    ), "render": ("tests/render", "tests/compiler/test_same_sound.py"),
    "deliver": ("tests/deliver",),
    "session": ("tests/test_session.py", "tests/session", "tests/app/test_commands.py"), "engine": ("tests/engine",),
}  # fmt: skip
LIMIT_S = 240
COMPARES = {ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
            ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is}  # fmt: skip
SUMS = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult}


def changes(node: ast.AST) -> Iterator[tuple[str, ast.AST]]:
    """The mistakes that can be made at a node: what each is, and the node with it."""
    made = copy.deepcopy(node)
    if isinstance(made, ast.Compare) and type(made.ops[0]) in COMPARES:
        made.ops[0] = COMPARES[type(made.ops[0])]()
        yield "comparison", made
    elif (
        isinstance(made, ast.BinOp)
        and type(made.op) in SUMS
        and not isinstance(made.left, ast.Constant | ast.JoinedStr)
    ):
        made.op = SUMS[type(made.op)]()
        yield "arithmetic", made
    elif isinstance(made, ast.BoolOp):
        made.op = ast.Or() if isinstance(made.op, ast.And) else ast.And()
        yield "and / or", made
    elif isinstance(made, ast.UnaryOp) and isinstance(made.op, ast.Not):
        yield "not dropped", made.operand
    elif isinstance(made, ast.Constant) and type(made.value) in (int, float) and abs(made.value) < 1e6:
        made.value = made.value + 1
        yield "constant + 1", made
    elif isinstance(made, ast.Call) and isinstance(made.func, ast.Name) and made.func.id in ("min", "max"):
        made.func.id = "max" if made.func.id == "min" else "min"
        yield "min / max", made
    elif isinstance(made, ast.If) and not made.orelse:
        made.test = ast.Constant(True)
        yield "condition dropped", made


class _Replace(ast.NodeTransformer):
    def __init__(self, target: ast.AST, by: ast.AST) -> None:
        self._target, self._by = target, by

    def visit(self, node: ast.AST) -> ast.AST:
        return self._by if node is self._target else super().visit(node)


def places(file: Path) -> list[tuple[int, int, str]]:
    """(line, number among the nodes, kind) of all that could go wrong inside the functions of a file."""
    found = []
    for k, node in enumerate(_inside(ast.parse(file.read_text()))):
        found += [(getattr(node, "lineno", 0), k, kind) for kind, _ in changes(node)]
    return found


def _inside(tree: ast.Module) -> list[ast.AST]:
    """The nodes within functions, docstrings and annotations left out."""
    nodes = []
    for function in ast.walk(tree):
        if isinstance(function, ast.FunctionDef):
            body = function.body[1:] if ast.get_docstring(function) else function.body
            nodes += [node for part in body for node in ast.walk(part)]
    return list(dict.fromkeys(nodes))


def mutated(file: Path, number: int, kind: str) -> str:
    """The file's text with one mistake."""
    tree = ast.parse(file.read_text())
    node = _inside(tree)[number]
    by = next(new for name, new in changes(node) if name == kind)
    return ast.unparse(ast.fix_missing_locations(_Replace(node, by).visit(tree)))


def nearest(name_in_source: Path, tree: Path) -> list[list[str]]:
    """What to run, one after the other, until something fails."""
    part, name = name_in_source.parts, f"test_{name_in_source.stem}.py"
    if part[0] == "catalogue":
        module = name_in_source.stem.replace("_", "-")
        return [[f"tests/catalogue/{name}"], ["tests/catalogue/test_generic.py", "-k", module]]
    own = [str(path.relative_to(tree)) for path in (tree / "tests").rglob(name)]
    return [own, *[[path] for path in TESTS[part[0]] if (tree / path).exists()]]


def caught(tree: Path, place: Path, text: str) -> bool:
    """Whether a test fails with this text in the place of a file of the tree."""
    before = place.read_text()
    place.write_text(text)
    environment = os.environ | {"PYTHONPATH": str(tree / "src"), "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-m", "pytest", "-x", "-q", "--no-header", "-p", "no:cacheprovider"]
    try:
        for wanted in nearest(place.relative_to(tree / "src" / "dunefall"), tree):
            if wanted:
                done = subprocess.run(
                    [*command, *wanted], cwd=tree, env=environment, capture_output=True, timeout=LIMIT_S
                )
                if done.returncode not in (0, 5):  # 5: no test was chosen
                    return True
    except subprocess.TimeoutExpired:
        return True
    finally:
        place.write_text(before)
    return False


def sampled(source: Path, only: str, count: int, seed: int) -> list[tuple[Path, tuple[int, int, str]]]:
    """Mistakes by chance, as many of each folder and of the kernels, in an order by chance."""
    dice, found = random.Random(seed), []
    groups = [sorted((source / folder).rglob("*.py")) for folder in FOLDERS]
    groups.append([source / "catalogue" / f"{kernel}.py" for kernel in KERNELS])
    for files in groups:
        chosen = [file for file in files if only in str(file.relative_to(source))]
        all_of_it = [(file, place) for file in chosen for place in places(file)]
        found += dice.sample(all_of_it, min(-(-count // len(groups)), len(all_of_it)))
    dice.shuffle(found)
    return found[:count]


def main() -> int:
    """Plant and count; the exit status is 1 where fewer than 85 of 100 were caught."""
    parser = argparse.ArgumentParser(prog="python -m bench.mutations")
    parser.add_argument("--count", type=int, default=60)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", default="", help="a part of the files' paths")
    parser.add_argument("--out", type=Path, default=ROOT / "build" / "mutations.json")
    options = parser.parse_args()
    known = json.loads(KNOWN.read_text()) if KNOWN.exists() else {}
    results = []
    with tempfile.TemporaryDirectory() as folder:
        tree = Path(folder) / "tree"
        shutil.copytree(ROOT, tree, ignore=shutil.ignore_patterns(".git", ".venv", "build", "__pycache__"))
        source = tree / "src" / "dunefall"
        sample = sampled(source, options.only, options.count, options.seed)
        for done, (file, (line, number, kind)) in enumerate(sample, 1):
            name = str(file.relative_to(source))
            text = file.read_text().split("\n")[line - 1].strip()
            good = caught(tree, file, mutated(file, number, kind))
            reason = known.get(f"{name}: {kind}: {text}", "")
            results.append({"file": name, "line": line, "kind": kind, "text": text, "caught": good, "reason": reason})
            print(f"{done:4} {'caught  ' if good else 'SURVIVED'} {name}:{line} {kind}: {text} {reason}", flush=True)
            options.out.parent.mkdir(exist_ok=True)
            options.out.write_text(json.dumps(results, indent=1))
    counted = [result for result in results if not result["reason"]]
    share = sum(bool(result["caught"]) for result in counted) / max(len(counted), 1)
    print(f"{len(results)} mutants, {len(results) - len(counted)} that do not matter, {share:.0%} of the others caught")
    return 0 if share >= 0.85 else 1


if __name__ == "__main__":
    raise SystemExit(main())
