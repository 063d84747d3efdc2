"""Docstrings of the core: parameters told, errors named, shapes and units given."""

import ast
import re
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

import emblar.core

CORE = Path(emblar.core.__file__).parent
SEVERAL = 3
ARRAYS = re.compile(r"\b(Array|Samples|Rows|NDArray)\b")
SHAPE = re.compile(r"shape|samples|Samples|one channel", re.IGNORECASE)
LEAST_SHARE = 0.9

Function = tuple[str, ast.FunctionDef, str]
Rule = Callable[[ast.FunctionDef, str], bool | None]


def functions() -> Iterator[Function]:
    """Yield every public function and method of the core: its file, itself, its module's text."""
    for file in sorted(CORE.rglob("*.py")):
        tree = ast.parse(file.read_text(encoding="utf-8"))
        told = ast.get_docstring(tree) or ""
        classes = [n for n in tree.body if isinstance(n, ast.ClassDef) and n.name[0] != "_"]
        for node in [*tree.body, *(n for c in classes for n in c.body)]:
            if isinstance(node, ast.FunctionDef) and node.name[0] != "_":
                yield f"{file.relative_to(CORE)}:{node.name}", node, told


def names(function: ast.FunctionDef) -> list[str]:
    every = [*function.args.args, *function.args.kwonlyargs]
    return [a.arg for a in every if a.arg not in ("self", "cls")]


def told(function: ast.FunctionDef) -> str:
    return ast.get_docstring(function) or ""


def parameters(function: ast.FunctionDef, _: str) -> bool | None:
    """Whether every parameter is told of, where there are several."""
    every = names(function)
    if len(every) < SEVERAL:
        return None
    return all(re.search(rf"\b{re.escape(name)}\b", told(function)) for name in every)


def errors(function: ast.FunctionDef, _: str) -> bool | None:
    """Whether errors that it raises itself are named."""
    raised = {
        node.exc.func.id
        for node in ast.walk(function)
        if isinstance(node, ast.Raise)
        and isinstance(node.exc, ast.Call)
        and isinstance(node.exc.func, ast.Name)
    }
    return all(name in told(function) for name in raised) if raised else None


def shapes(function: ast.FunctionDef, module: str) -> bool | None:
    """Whether the shape of an array that it returns is given, there or for the whole module."""
    returned = ast.unparse(function.returns) if function.returns else ""
    if not ARRAYS.search(returned):
        return None
    return bool(SHAPE.search(told(function)) or re.search(r"\bshape\b", module))


@pytest.mark.parametrize("rule", [parameters, errors, shapes])
def test_nine_in_ten_of_the_public_functions_tell_what_a_stranger_needs(rule: Rule) -> None:
    found = {where: rule(function, module) for where, function, module in functions()}
    asked = {where: kept for where, kept in found.items() if kept is not None}
    assert len(asked) >= 20
    missing = sorted(where for where, kept in asked.items() if not kept)
    assert len(missing) <= (1.0 - LEAST_SHARE) * len(asked), missing


def test_numbers_that_were_chosen_have_a_note_of_what_they_are() -> None:
    """Constants on consecutive lines share the note that follows the last of them."""
    bare = []
    for file in sorted((CORE / "analysis").rglob("*.py")):
        unnoted: list[str] = []
        last_line = 0
        for node in [*ast.parse(file.read_text(encoding="utf-8")).body, ast.Pass(lineno=0)]:
            if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
                unnoted = []
            elif not (isinstance(node, ast.Assign) and node.lineno == last_line + 1):
                bare += unnoted
                unnoted = []
            if isinstance(node, ast.Assign):
                unnoted += [f"{file.name}:{name}" for name in chosen_numbers(node)]
                last_line = node.end_lineno or node.lineno
    assert bare == []


def chosen_numbers(node: ast.Assign) -> list[str]:
    """Return the names of the constants that an assignment gives numbers of its own."""
    target = node.targets[0]
    names_ = target.elts if isinstance(target, ast.Tuple) else [target]
    constants = [n.id for n in names_ if isinstance(n, ast.Name) and n.id.isupper()]
    parts = list(ast.walk(node.value))
    numbers = [n for n in parts if isinstance(n, ast.Constant) and isinstance(n.value, int | float)]
    derived = any(isinstance(n, ast.Name) and n.id.isupper() for n in parts)
    return constants if numbers and not derived else []
