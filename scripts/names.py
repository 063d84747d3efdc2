"""Names that say nothing to a stranger: ``python -m scripts.names``.

It fails where such a name is given to a variable, an argument, a function or a class.
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


def main() -> None:
    """Fail with the places where there are any."""
    places = banned_names()
    if places:
        sys.exit("Name the thing itself: " + "; ".join(f"{p}:{n} {x}" for p, n, x in places))


if __name__ == "__main__":
    main()
