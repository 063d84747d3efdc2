"""Documents of earlier versions still open, and hold what they held."""

import gzip
import json
from pathlib import Path
from typing import Any

import pytest
from pydantic import BaseModel

from emblar.formats.bench import BenchFile
from emblar.formats.schemas import SCHEMAS

KEPT = json.loads(
    gzip.decompress((Path(__file__).parent / "kept" / "2026-12.json.gz").read_bytes())
)
MODELS: dict[str, type[BaseModel]] = {**SCHEMAS, "emblar.bench-1": BenchFile}


def check_holds(new: Any, old: Any, path: str) -> None:
    """Check that a document still has every old value; new ones are fine."""
    if isinstance(old, dict):
        for key, value in old.items():
            check_holds(new[key], value, f"{path}.{key}")
    elif isinstance(old, list):
        assert len(new) == len(old), path
        for i, (a, b) in enumerate(zip(new, old, strict=True)):
            check_holds(a, b, f"{path}[{i}]")
    else:
        assert new == old, path


@pytest.mark.parametrize("name", list(KEPT))
def test_a_document_of_before_opens_and_holds_what_it_held(name: str) -> None:
    model = MODELS[name].model_validate(KEPT[name]["read"])
    check_holds(json.loads(model.model_dump_json(by_alias=True)), KEPT[name]["written"], name)
