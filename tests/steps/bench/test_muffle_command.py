"""``emblar muffle``: strokes in, what to do next out."""

import json
from pathlib import Path

from typer.testing import CliRunner

from emblar.main import app
from tests.core.tuning.test_muffling import struck, wish


def asked(folder: Path, **changes: object) -> Path:
    def card(on: list[str]) -> dict[str, object]:
        return {
            n: {"value": q.value, "sd": q.sd, "unit": q.unit} for n, q in struck(on).card.items()
        }

    file = {
        "schema": "emblar.muffling/1",
        "target": {
            n: {"value": q.value, "sd": q.sd, "unit": q.unit}
            for n, q in wish(["gel-pad"]).values.items()
        },
        "planned": ["gel-pad", "tape-flag"],
        "layers": [{"dampers": [], "card": card([]), "expected_s": struck([]).expected_s}],
    }
    if changes.pop("muffled", False):
        after = {
            "dampers": ["gel-pad"],
            "card": card(["gel-pad"]),
            "expected_s": struck(["gel-pad"]).expected_s,
        }
        file |= {"on": ["gel-pad"], "layers": [*file["layers"], after]}
    path = folder / "strokes.json"
    path.write_text(json.dumps(file | changes), encoding="utf-8")
    return path


def test_the_next_thing_to_lay_on_is_told_then_that_it_is_enough(tmp_path: Path) -> None:
    first = CliRunner().invoke(app, ["muffle", str(asked(tmp_path))])
    told = json.loads(first.stdout)
    assert (told["schema"], told["do"], told["damper"]) == (
        "emblar.next-muffle/1",
        "lay",
        "gel-pad",
    )
    then = json.loads(
        CliRunner().invoke(app, ["muffle", str(asked(tmp_path, muffled=True))]).stdout
    )
    assert then["do"] == "enough"
    assert then["effects"][0]["sustain"]["steps"] < -1.0
    assert then["learned"]["gel-pad"]["strokes"] == 1


def test_a_file_of_another_kind_is_told(tmp_path: Path) -> None:
    done = CliRunner().invoke(app, ["muffle", str(asked(tmp_path, schema="emblar.tuning/1"))])
    assert done.exit_code != 0
    assert "schema" in str(done.exception)
