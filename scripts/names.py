"""Names that say nothing to a stranger: ``python -m scripts.names``.

It counts where such a name is given to a variable, an argument, a function or a class, and fails if
there are more than ``MAX_LEFT``. The number only goes down: lower it whenever some are gone.
"""

import ast
import sys
from collections import Counter
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
MAX_LEFT = 952
"""How many may be left."""


def given_names(tree: ast.AST) -> list[tuple[int, str]]:
    """Return line and name of everything that a module gives a name."""
    names: list[tuple[int, str]] = []
    for node in ast.walk(tree):
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
        for line, name in given_names(ast.parse(path.read_text(encoding="utf-8")))
        if name in BANNED
    ]


def main() -> None:
    """Fail with the places if there are more than are allowed."""
    places = banned_names()
    counts = Counter(name for _, _, name in places)
    print(f"{len(places)} banned names: " + ", ".join(f"{n} {c}" for n, c in counts.most_common()))
    if len(places) > MAX_LEFT:
        sys.exit("There are more than before: " + "; ".join(f"{p}:{n} {x}" for p, n, x in places))


if __name__ == "__main__":
    main()
