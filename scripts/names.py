"""Names that say nothing to a stranger: ``python -m scripts.names``.

It fails if a variable, argument, function or class has such a name, or if two classes of the
application share a name.
"""

import ast
import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]
FOLDERS = ("emblar", "bench", "training", "scripts")
BANNED = frozenset(
    {
        "told",
        "found",
        "heard",
        "brought",
        "said",
        "asked",
        "entered",
        "here",
        "there",
        "beside",
        "anew",
        "own",
        "now",
        "at",
        "whose",
        "who",
        "tells",
        "tell",
        "hear",
        "lying",
    }
)
"""Participles, pronouns and prepositions: they stand for a thing instead of naming it."""
PUBLISHED = ("emblar/formats/", "emblar/platform/tables.py")
"""Fields of files and columns of tables: their names are published and stay."""


def given_names(tree: ast.AST, *, published: bool = False) -> list[tuple[int, str]]:
    """Return line and name of everything that a module gives a name.

    ``published`` leaves out the fields of its classes.
    """
    names: list[tuple[int, str]] = []
    fields = {
        line.target
        for node in ast.walk(tree)
        if isinstance(node, ast.ClassDef)
        for line in node.body
        if isinstance(line, ast.AnnAssign)
    }
    for node in ast.walk(tree):
        if published and node in fields:
            continue
        if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store):
            names.append((node.lineno, node.id))
        elif isinstance(node, ast.arg):
            names.append((node.lineno, node.arg))
        elif isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            names.append((node.lineno, node.name))
    return names


def banned_names() -> list[tuple[str, int, str]]:
    """Return file, line and name of every banned name."""
    return [
        (str(path.relative_to(ROOT)), line, name)
        for folder in FOLDERS
        for path in sorted((ROOT / folder).rglob("*.py"))
        for line, name in given_names(
            ast.parse(path.read_text(encoding="utf-8")),
            published=str(path.relative_to(ROOT)).startswith(PUBLISHED),
        )
        if name.lstrip("_") in BANNED
    ]


def shared_names() -> dict[str, list[str]]:
    """Return class names that several classes of the application share, with their files."""
    places: dict[str, list[str]] = {}
    for path in sorted((ROOT / "emblar").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.ClassDef):
                places.setdefault(node.name, []).append(str(path.relative_to(ROOT)))
    return {name: files for name, files in places.items() if len(files) > 1}


def main() -> None:
    """Fail with the places where there are any."""
    faults = [f"{p}:{n}: name the thing itself, not {x}" for p, n, x in banned_names()]
    faults += [f"{name} is in {' and '.join(files)}" for name, files in shared_names().items()]
    if faults:
        sys.exit("; ".join(faults))


if __name__ == "__main__":
    main()
