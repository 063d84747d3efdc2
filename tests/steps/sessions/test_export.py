"""Everything into one file, and back: the same again, beside what is there, or nothing at all."""

import hashlib
import io
import json
import random
import zipfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from PIL import Image
from sqlalchemy import text

from emblar.core.errors import InputError, NotFoundError
from emblar.formats.export import DOCUMENT
from emblar.platform.database import engine, transaction
from emblar.platform.studio import HERE, Studio
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.bench.actions.tuning import UNSAVED_SETUP
from emblar.steps.bench.actions.undo import undo
from emblar.steps.bench.actions.way_back import go_back
from emblar.steps.kit.actions import drums as kit
from emblar.steps.kit.actions import saved as kits
from emblar.steps.kit.queries import setups as setup_store
from emblar.steps.kit.queries import slots as store
from emblar.steps.log.actions.entries import log
from emblar.steps.match.actions.journey import keep_picture, picture
from emblar.steps.plan.actions import planning as plan
from emblar.steps.plan.actions.planning import changed_since, latest_plan
from emblar.steps.sessions.actions.editing import (
    SessionBrief,
    all_sessions,
    delete_session,
    start_session,
)
from emblar.steps.sessions.actions.export import BY_PAGE, export_everything, import_everything
from emblar.steps.sessions.queries.export import TABLES
from emblar.steps.share import actions as share
from emblar.steps.shelf.actions import add_damper
from tests.drums import OWNED_TOM


def emptied() -> None:
    with engine().begin() as connection:
        connection.execute(text(f"truncate {', '.join(TABLES)}, audio restart identity cascade"))


def count(table: str) -> int:
    with engine().begin() as connection:
        return int(connection.execute(text(f"select count(*) from {table}")).scalar_one())


def changed(file: Path, change: Callable[[dict[str, Any]], None]) -> io.BytesIO:
    """An export with its document changed."""
    out = io.BytesIO()
    with zipfile.ZipFile(file) as held, zipfile.ZipFile(out, "w") as made:
        for name in held.namelist():
            data = held.read(name)
            if name == DOCUMENT:
                document = json.loads(data)
                change(document)
                data = json.dumps(document).encode()
            made.writestr(name, data)
    out.seek(0)
    return out


@pytest.fixture
def filled(planned: int, tmp_path: Path) -> Path:
    """An export of a planned session with readings, a saved kit and a part of one's own."""
    drum = kit.kit(HERE, planned)[0]
    hz = [181.0 + i for i in range(drum.owned.rods)]
    bench.type_readings(HERE, planned, drum.id, "batter", hz)
    kits.save_kit(HERE, planned, "House kit")
    numbers = {"radius": 0.9, "resistance": 1.0, "mass_kg": 0.01, "minutes": 1.0}
    add_damper(HERE, "Felt ring", "tom", "batter", numbers)
    file = tmp_path / "everything.zip"
    export_everything(HERE, file)
    return file


def test_into_an_empty_database_it_is_the_same_again(filled: Path, tmp_path: Path) -> None:
    before = changed_since(HERE, all_sessions(HERE)[0].id)
    emptied()
    brought = import_everything(HERE, filled)
    assert (brought.sessions, brought.drums) == (1, 3)
    assert brought.readings >= 1
    again = tmp_path / "again.zip"
    export_everything(HERE, again)
    assert again.read_bytes() == filled.read_bytes()
    session = all_sessions(HERE)[0]
    assert latest_plan(HERE, session.id) is not None
    assert changed_since(HERE, session.id) == before, "the plan is no older for having travelled"
    # New rows come after those that were put in with their ids.
    assert kit.add_drum(HERE, session.id, replace(OWNED_TOM, name="Rack 13")).id > 3


def test_beside_other_data_everything_finds_its_own(filled: Path) -> None:
    emptied()
    other = start_session(HERE, SessionBrief("Another song"))
    kit.add_drum(HERE, other.id, replace(OWNED_TOM, name="Rack 13"))
    import_everything(HERE, filled)
    found = {s.name: s.id for s in all_sessions(HERE)}
    assert set(found) == {"Another song", "Low Ferry"}
    session = found["Low Ferry"]
    slots = {d.id for d in kit.kit(HERE, session)}
    told = latest_plan(HERE, session)
    assert told is not None
    assert set(told.drums) <= slots, "the plan's drums are the session's"
    assert len(told.drums) == 3
    drums = {row.drum.id for row in log(HERE)}
    with transaction() as db:
        assert all(set(kept.drum_ids) <= drums for kept in store.saved(db, HERE.studio_id))
    assert plan.plan_kit(HERE, session).drums


def test_a_way_back_still_leads_to_its_own_setup_beside_other_data(
    planned: int, tmp_path: Path
) -> None:
    drum = kit.kit(HERE, planned)[0]
    bench.type_readings(HERE, planned, drum.id, "batter", [181.0] * drum.owned.rods)
    there = bench.bench(HERE, planned, drum.id).setup.id
    bench.finish_job(HERE, planned, drum.id, "inspect")
    bench.turned(HERE, planned, drum.id, "batter")
    go_back(HERE, planned, drum.id, there)
    export_everything(HERE, tmp_path / "a.zip")
    emptied()
    other = start_session(HERE, SessionBrief("Another song"))
    for number in range(3):
        tom = kit.add_drum(HERE, other.id, replace(OWNED_TOM, name=f"Rack {20 + number}"))
        plan.replan_drum(HERE, other.id, tom.id, {"pitch_hz": 150.0})
        bench.note_setup(HERE, other.id, tom.id, "As found.")
    import_everything(HERE, tmp_path / "a.zip")
    session = next(s.id for s in all_sessions(HERE) if s.name == "Low Ferry")
    slot = kit.kit(HERE, session)[0].id
    now = bench.bench(HERE, session, slot)
    ways = [setup_id for setup_id in _setups(now.drum.drum_id) if setup_id != now.setup.id]
    assert now.setup.document["back_to"] == ways[0] != there
    assert now.back_to is not None
    assert now.back_to.setup == ways[0]
    assert ways[0] <= now.done["inspect"].setup_after < now.setup.id
    assert "the way back" in undo(HERE, session, slot)


def _setups(drum_id: int) -> list[int]:
    with transaction() as db:
        return [setup.id for setup in setup_store.listing(db, drum_id)]


def test_what_is_here_already_is_not_put_in_twice(filled: Path) -> None:
    before = {name: count(name) for name in TABLES}
    with pytest.raises(InputError, match="here already"):
        import_everything(HERE, filled)
    assert before == {name: count(name) for name in TABLES}


def test_two_machines_merge_by_skipping_what_is_here(filled: Path, tmp_path: Path) -> None:
    """The other machine adds a session on the same drums; what both have stays as it is here."""
    first = all_sessions(HERE)[0]
    other = start_session(HERE, SessionBrief("Slack Water")).id
    kits.bring_kit(HERE, other, f"session-{first.id}")
    drum = kit.kit(HERE, other)[0]
    both = tmp_path / "both.zip"
    export_everything(HERE, both)
    emptied()
    import_everything(HERE, filled)
    here = next(d for d in kit.kit(HERE, first.id) if d.owned.name == drum.owned.name)
    kit.change_drum(HERE, first.id, here.id, replace(here.owned, name="Renamed here"))

    with pytest.raises(InputError, match="Skip what is here already"):
        import_everything(HERE, both)
    brought = import_everything(HERE, both, skip_known=True)
    assert (brought.sessions, brought.drums) == (1, 0)
    added = next(s for s in all_sessions(HERE) if s.name == "Slack Water")
    there = {d.drum_id: d.owned.name for d in kit.kit(HERE, added.id)}
    assert there == {d.drum_id: d.owned.name for d in kit.kit(HERE, first.id)}
    assert "Renamed here" in there.values()
    again = import_everything(HERE, both, skip_known=True)
    assert (again.sessions, again.drums, again.readings) == (0, 0, 0)
    assert len(all_sessions(HERE)) == 2


def test_a_session_that_was_renamed_since_is_here_already(filled: Path) -> None:
    with transaction() as db:
        db.execute(text("update session set name = 'Low Ferry, second go'"))
    with pytest.raises(InputError, match="second go” of this export is here already"):
        import_everything(HERE, filled)


@pytest.mark.parametrize("padding", [b" " * (BY_PAGE.document_bytes + 1), b"[1,{}]," * 2_000_000])
def test_an_export_that_unpacks_to_gigabytes_is_refused_by_the_page(
    filled: Path, padding: bytes
) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        made.writestr(DOCUMENT, padding)
    assert out.tell() < 2**20
    with pytest.raises(InputError, match="emblar import"):
        import_everything(HERE, out, BY_PAGE)


def test_another_studio_is_neither_told_nor_touched(filled: Path, tmp_path: Path) -> None:
    with engine().begin() as connection:
        connection.execute(text("insert into studio (id, name) values (2, 'Other') "))
    file = tmp_path / "other.zip"
    assert export_everything(Studio(2), file).sessions == 0
    assert all(not rows for rows in tables_of(file).values())


def tables_of(file: Path) -> dict[str, list[dict[str, Any]]]:
    with zipfile.ZipFile(file) as held:
        found: dict[str, list[dict[str, Any]]] = json.loads(held.read(DOCUMENT))["tables"]
        return found


def test_what_was_deleted_travels_and_stays_deleted(filled: Path, tmp_path: Path) -> None:
    delete_session(HERE, all_sessions(HERE)[0].id)
    file = tmp_path / "deleted.zip"
    export_everything(HERE, file)
    emptied()
    import_everything(HERE, file)
    assert not all_sessions(HERE)
    assert count("session") == 1


def _first(table: str, column: str, value: object) -> Callable[[dict[str, Any]], None]:
    def change(document: dict[str, Any]) -> None:
        document["tables"][table][0][column] = value

    return change


BROKEN: dict[str, tuple[Callable[[dict[str, Any]], None], str]] = {
    "another format": (lambda d: d.update(schema="emblar.export/9"), "no export"),
    "an older database": (lambda d: d.update(database="0003"), "another version of Emblar"),
    "a page for a sound": (lambda d: d["sounds"][0].update(media_type="text/html"), "media_type"),
    "an unknown table": (lambda d: d["tables"].update(users=[{"id": 1}]), "users"),
    "an unknown column": (_first("drum", "colour", "red"), "drum, row 1.*colour"),
    "words for a number": (_first("drum", "diameter_in", "big"), "row 1, diameter_in"),
    "a huge drum": (_first("drum", "diameter_in", 400.0), "outside"),
    "no batter": (lambda d: d["tables"]["fitting"].clear(), "no batter head"),
    "an unheard-of head": (_first("head", "construction", "brick"), "brick"),
    "a drum of nobody's": (_first("kit_slot", "drum_id", 77), "refers to 77"),
    "a sound of nobody's": (_first("recording", "audio_id", "0" * 64), "refers to"),
    "a kind there is none of": (_first("drum", "kind", "gong"), "contradict"),
    "a list for a document": (_first("plan", "document", [1]), "document"),
    "a region of something": (_first("recording", "regions", [{"x": 1}]), "no such document"),
    "an id twice": (lambda d: d["tables"]["drum"][1].update(id=1), "twice"),
    "a time without its zone": (_first("session", "created_at", "2030-05-01"), "no time"),
    "a NUL": (_first("session", "name", "a\x00b"), "name"),
    "a number beyond all": (_first("measurement", "rod", 2**40), "rod"),
    "a pitch beyond all": (_first("measurement", "hz", 1e308), "hz cannot be"),
    "a pitch that no drum has": (_first("measurement", "hz", 9000.0), "9000 is outside"),
    "a pitch known to nothing": (_first("measurement", "sd_hz", 5000.0), "says nothing"),
    "a document with a number beyond all": (
        _first("plan", "document", {"drums": {"1": {"x": [1e300]}}}),
        "cannot be right",
    ),
    "nothing where something must be": (_first("session", "name", None), "is empty"),
}


@pytest.mark.parametrize("name", list(BROKEN))
def test_a_broken_export_is_refused_whole(filled: Path, name: str) -> None:
    change, says = BROKEN[name]
    file = changed(filled, change)
    emptied()
    with pytest.raises(InputError, match=says):
        import_everything(HERE, file)
    assert all(count(table) == 0 for table in (*TABLES, "audio")), "nothing half put in"


def test_a_damaged_sound_is_refused(filled: Path) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(filled) as held, zipfile.ZipFile(out, "w") as made:
        for name in held.namelist():
            made.writestr(name, held.read(name) if name == DOCUMENT else b"noise")
    emptied()
    with pytest.raises(InputError, match="damaged"):
        import_everything(HERE, out)
    assert count("session") == 0


@pytest.mark.parametrize("data", [b"", b"PK", b"not a zip at all", b"\x00" * 5000])
def test_what_is_no_export_is_said(database: None, data: bytes) -> None:
    with pytest.raises(InputError, match="no export"):
        import_everything(HERE, io.BytesIO(data))


@pytest.mark.parametrize("seed", range(10))
def test_any_damage_to_the_file_is_an_error_in_words(filled: Path, seed: int) -> None:
    rng = random.Random(seed)
    whole = filled.read_bytes()
    emptied()
    for _ in range(25):
        data = bytearray(whole)
        # The directory at the end says how each entry is packed; it is damaged most often.
        start = rng.choice((0, whole.rindex(b"PK\x01\x02"), len(whole) - 400))
        for _ in range(rng.randint(1, 8)):
            data[rng.randrange(start, len(data))] = rng.randrange(256)
        if rng.random() < 0.2:
            del data[rng.randrange(len(data)) :]
        try:
            import_everything(HERE, io.BytesIO(bytes(data)))
        except InputError:
            assert count("session") == 0
        else:
            emptied()


@pytest.mark.parametrize("method", [1, 6, 9, 12, 14, 93, 99])
def test_a_way_of_packing_that_is_not_known_is_damage(filled: Path, method: int) -> None:
    whole = bytearray(filled.read_bytes())
    at = 0
    while (at := whole.find(b"PK\x01\x02", at)) >= 0:
        whole[at + 10 : at + 12] = method.to_bytes(2, "little")
        at += 4
    emptied()
    with pytest.raises(InputError, match="damaged"):
        import_everything(HERE, io.BytesIO(bytes(whole)))


def test_a_sound_that_is_no_sound_is_refused(filled: Path) -> None:
    """It would be served to a browser, and decoded by pages."""
    page = b"<script>alert(1)</script>"
    name = hashlib.sha256(page).hexdigest()

    def swap(document: dict[str, Any]) -> None:
        document["sounds"] = [{"sha256": name, "media_type": "audio/flac"}]
        for row in document["tables"]["recording"]:
            row["audio_id"] = name

    file = changed(filled, swap)
    with zipfile.ZipFile(file, "a") as held:
        held.writestr(f"sounds/{name}", page)
    emptied()
    with pytest.raises(InputError, match="cannot use a sound or picture"):
        import_everything(HERE, file)
    assert count("audio") == 0


def test_the_type_of_a_sound_is_what_it_is_not_what_the_export_says(filled: Path) -> None:
    file = changed(filled, lambda d: d["sounds"][0].update(media_type="audio/x-anything"))
    emptied()
    import_everything(HERE, file)
    with transaction() as db:
        assert set(db.execute(text("select media_type from audio")).scalars()) == {"audio/flac"}


def test_sounds_are_bounded_in_total(filled: Path) -> None:
    emptied()
    with pytest.raises(InputError, match="too large"):
        import_everything(HERE, filled, replace(BY_PAGE, sounds_bytes=1000))
    assert count("session") == 0


def test_links_of_an_import_are_ended(planned: int, tmp_path: Path) -> None:
    """Whoever made the file may know them."""
    token = share.make_share(HERE, planned, "Engineer", ["sheet"], days=7)
    assert share.open_share(token)
    file = tmp_path / "everything.zip"
    export_everything(HERE, file)
    emptied()
    import_everything(HERE, file)
    with pytest.raises(NotFoundError):
        share.open_share(token)
    assert count("share") == 1


def test_a_picture_travels_and_is_decoded_before_it_is_let_in(planned: int, tmp_path: Path) -> None:
    slot = kit.kit(HERE, planned)[0].id
    out = io.BytesIO()
    Image.effect_noise((300, 200), 50.0).save(out, "JPEG")
    keep_picture(HERE, planned, slot, UNSAVED_SETUP, out.getvalue())
    setup = bench.bench(HERE, planned, slot).setup.id
    kept = picture(HERE, planned, slot, setup)
    file = tmp_path / "everything.zip"
    export_everything(HERE, file)
    emptied()
    import_everything(HERE, file)
    assert picture(HERE, planned, slot, setup) == kept
