"""The house's word about docstrings, held for everything public outside the window, the kernels and the engine.

A function says its parameters with their types, what it returns and what it raises, unless it is a property or a single
statement: those are excepted by this rule, not by name. Examples run.
"""

from __future__ import annotations

import ast
import doctest
import importlib
import pkgutil
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

import dunefall

SOURCE = Path(dunefall.__file__).parent
HELD = ("analysis", "base", "compiler", "deliver", "dsp", "patch", "render", "session")
PLAIN = {"str", "int", "float", "bool", "Path", "Place", "Patch", "Module", "Layer", "Link"}
"""Types whose name in a docstring must be the annotation's."""
PROPERTIES = ("property", "cached_property")


def public_functions(tree: ast.Module) -> Iterator[ast.FunctionDef]:
    """Functions that a module offers, and the public methods of its public classes."""
    offered = next(
        ([e.value for e in node.value.elts] for node in tree.body
         if isinstance(node, ast.Assign) and ast.unparse(node.targets[0]) == "__all__"), None,
    )  # fmt: skip
    for node in tree.body:
        if isinstance(node, ast.FunctionDef) and (offered is None or node.name in offered):
            yield node
        elif isinstance(node, ast.ClassDef) and not node.name.startswith("_") and not is_protocol(node):
            methods = (part for part in node.body if isinstance(part, ast.FunctionDef))
            yield from (method for method in methods if not method.name.startswith("_"))


def is_protocol(node: ast.ClassDef) -> bool:
    return any("Protocol" in ast.unparse(base) for base in node.bases)


def faults(function: ast.FunctionDef) -> list[str]:
    """What a docstring should say and does not."""
    doc = ast.get_docstring(function) or ""
    body = [node for node in function.body if not (isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant))]
    names = [a.arg for a in function.args.args + function.args.kwonlyargs if a.arg not in ("self", "cls")]
    raised = {
        node.exc.func.id for node in ast.walk(function)
        if isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call) and isinstance(node.exc.func, ast.Name)
    }  # fmt: skip
    if not doc:
        return ["has no docstring"]
    decorated = any(ast.unparse(node).rpartition(".")[2] in PROPERTIES for node in function.decorator_list)
    if decorated or (len(body) <= 1 and not raised) or not names or "typingctx" in names:
        return []
    found = []
    listed = re.findall(r"^([\w, ]+) : \S", doc, re.MULTILINE)
    told = {name.strip() for line in listed for name in line.split(",")}
    missing = [name for name in names if name not in told]
    if missing:
        found.append(f"does not say what {', '.join(missing)} is")
    gives = function.returns is not None and ast.unparse(function.returns) not in ("None", "NoReturn")
    if gives and "Returns\n" not in doc and "Yields\n" not in doc and not re.search(r"[Rr]eturns|gives|Iterator", doc):
        found.append("does not say what it returns")
    found += [f"does not say that it raises {name}" for name in sorted(raised) if name not in doc]
    return found


def wrong_types(function: ast.FunctionDef) -> list[str]:
    """Parameters to which the docstring gives another plain type than the annotation does."""
    doc = ast.get_docstring(function) or ""
    listed = dict(re.findall(r"^(\w+) : (\w+)", doc, re.MULTILINE))
    return [
        f"calls {arg.arg} {listed[arg.arg]}, which is {noted}"
        for arg in function.args.args + function.args.kwonlyargs
        if arg.annotation is not None and arg.arg in listed
        for noted in [re.match(r"\w+", ast.unparse(arg.annotation))[0]]  # type: ignore[index]
        if noted != "Any" and {noted, listed[arg.arg]} & PLAIN and noted != listed[arg.arg]
    ]


@pytest.mark.parametrize("folder", HELD)
def test_public_functions_say_what_they_take_give_and_raise(folder: str) -> None:
    wrong = []
    for file in sorted((SOURCE / folder).rglob("*.py")):
        for function in public_functions(ast.parse(file.read_text())):
            found = (*faults(function), *wrong_types(function))
            wrong += [f"{file.relative_to(SOURCE)}:{function.lineno} {function.name} {x}" for x in found]
    assert wrong == []


def test_the_rule_bites() -> None:
    lines = (
        "def f(a: int, b: int) -> int:",
        '    """Adds."""',
        "    c = a + b",
        "    raise ValueError(c)",
        "    return c",
    )
    function = ast.parse("\n".join(lines)).body[0]
    assert isinstance(function, ast.FunctionDef)
    assert len(faults(function)) == 3


def test_a_type_that_is_not_the_annotation_s_is_found() -> None:
    doc = (
        '"""Adds.\n\n    Parameters\n    ----------\n    a : Place\n        One.\n    b : int\n        Other.\n    """'
    )
    function = ast.parse(f"def f(a: str, b: int) -> int:\n    {doc}\n    return a + b").body[0]
    assert isinstance(function, ast.FunctionDef)
    assert wrong_types(function) == ["calls a Place, which is str"]


def modules() -> list[str]:
    return [
        name for folder in HELD
        for _, name, package in pkgutil.walk_packages([str(SOURCE / folder)], f"dunefall.{folder}.")
        if not package and ">>>" in (SOURCE / Path(*name.split(".")[1:])).with_suffix(".py").read_text()
    ]  # fmt: skip


@pytest.mark.parametrize("name", modules())
def test_examples_run(name: str) -> None:
    result = doctest.testmod(importlib.import_module(name), optionflags=doctest.ELLIPSIS)
    assert result.attempted > 0
    assert result.failed == 0
