"""Print random sentences that users read, to be read aloud: ``python -m scripts.sentences SEED``.

They come from screens, from messages in the code and from the documentation.
"""

import ast
import random
import re
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
DOCS = ("README.md", "CHANGELOG.md", "docs/guide.md", "docs/running.md", "docs/command-line.md")
ON_SCREEN, IN_DOCS = 60, 40
FEWEST_WORDS = 4
SENTENCE = re.compile(r"(?<=[.?!])\s+(?=[A-Z“*])")
MARKUP = re.compile(r"{#.*?#}|{%.*?%}|<(script|style).*?</\1>|<[^>]*>", re.DOTALL)
OUTPUT = re.compile(r"{{.*?}}", re.DOTALL)


def _sentences(text: str) -> Iterator[str]:
    for part in SENTENCE.split(" ".join(text.split())):
        if len(part.split()) >= FEWEST_WORDS and part[0].isupper() and part[-1] in ".?!":
            yield part


def on_screen() -> set[str]:
    """Return the sentences of templates, and of messages in the code; values as ``…``."""
    sentences: set[str] = set()
    for file in (ROOT / "emblar").rglob("*.html"):
        text = OUTPUT.sub("…", MARKUP.sub("\n", file.read_text()))
        for line in text.split("\n\n"):
            sentences.update(_sentences(line))
    for file in (ROOT / "emblar").rglob("*.py"):
        sentences.update(
            s for text in _messages(ast.parse(file.read_text())) for s in _sentences(text)
        )
    return sentences


def _messages(tree: ast.AST) -> Iterator[str]:
    """Yield the strings of a module that are no docstrings."""
    docstrings = {
        id(node.value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)
    }
    parts = {
        id(value)
        for node in ast.walk(tree)
        if isinstance(node, ast.JoinedStr)
        for value in node.values
    }
    for node in ast.walk(tree):
        if isinstance(node, ast.JoinedStr):
            yield "".join(str(v.value) if isinstance(v, ast.Constant) else "…" for v in node.values)
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            yield node.value if id(node) not in docstrings | parts else ""


def in_docs() -> set[str]:
    """Return the sentences of the documentation."""
    files = [ROOT / name for name in DOCS] + sorted((ROOT / "docs" / "decisions").glob("*.md"))
    sentences: set[str] = set()
    for file in files:
        text = re.sub(r"(?ms)^(#.*?|\|.*?|!\[.*?|    .*?)$", "\n", file.read_text())
        for paragraph in re.split(r"\n\s*\n|\n- ", text):
            sentences.update(_sentences(paragraph))
    return sentences


def main() -> None:
    """Print them."""
    dice = random.Random(int(sys.argv[1]) if len(sys.argv) > 1 else 1)
    for title, sentences, count in (
        ("On screen", on_screen(), ON_SCREEN),
        ("In the documentation", in_docs(), IN_DOCS),
    ):
        print(f"{title}: {count} of {len(sentences)}")
        for sentence in dice.sample(sorted(sentences), count):
            print(f"- {sentence}")


if __name__ == "__main__":
    main()
