"""Write the JSON Schemas of every file format to docs/formats."""

from pathlib import Path

from emblar.formats.schemas import SCHEMAS, schema_text

FOLDER = Path(__file__).parent.parent / "docs" / "formats"


def main() -> None:
    """Write them."""
    for name in SCHEMAS:
        (FOLDER / f"{name}.schema.json").write_text(schema_text(name), encoding="utf-8")


if __name__ == "__main__":
    main()
