"""What comes in at the door: hosts, origins, sizes, ids, numbers, doubles; and what goes out."""

import io
import re
import threading
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pytest
import soundfile
from fastapi.testclient import TestClient
from PIL import Image
from sqlalchemy import text

from emblar.app import create_app
from emblar.frame import security
from emblar.platform.database import transaction
from emblar.platform.sound.decode import MOST_CHANNELS
from emblar.platform.studio import HERE
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.kit.actions import drums as kit
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.listen.actions import strokes
from emblar.steps.plan.actions import planning as plan
from emblar.steps.sessions.actions.editing import SessionBrief, all_sessions, start_session
from tests.drums import OWNED_TOM, TOM_FORM

HTMX = {"HX-Request": "true"}
LARGE_IDS = (2**31, 2**31 - 1, 2**63, 0, -1)


@pytest.fixture
def calm(database: None) -> Iterator[TestClient]:
    """A client that gets an error page where the server failed."""
    app = create_app()
    with TestClient(
        app, base_url="http://127.0.0.1", follow_redirects=True, raise_server_exceptions=False
    ) as found:
        yield found


def test_a_page_of_another_name_gets_nothing(calm: TestClient) -> None:
    assert calm.get("/", headers={"host": "rebound.example"}).status_code == 400
    for host in ("127.0.0.1:8000", "localhost:8000"):
        assert calm.get("/", headers={"host": host}).status_code == 200


@pytest.mark.parametrize(
    "origin",
    [
        "null",
        "http://evil.example",
        "http://evil.example//127.0.0.1",
        "ftp://127.0.0.1",
        "http://127.0.0.1.evil.example",
        "127.0.0.1",
    ],
)
def test_what_another_site_sends_is_not_done(calm: TestClient, origin: str) -> None:
    answer = calm.post("/sessions", data={"name": "X"}, headers={"origin": origin})
    assert answer.status_code == 403
    assert all_sessions(HERE) == []
    own = calm.post("/sessions", data={"name": "X"}, headers={"origin": "http://127.0.0.1"})
    assert own.status_code == 200


def test_a_body_without_a_length_is_counted(
    calm: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = start_session(HERE, SessionBrief("X")).id

    def endless() -> Iterator[bytes]:
        for _ in range(300):
            yield b"x" * 2**20

    answer = calm.post(
        f"/sessions/{session}/listen/recording",
        content=endless(),
        headers={"content-type": "multipart/form-data; boundary=x"},
    )
    assert answer.status_code == 413
    assert answer.text == security.TOO_LARGE


def test_an_error_of_ours_carries_the_security_headers(
    calm: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*_: object) -> None:
        raise ZeroDivisionError

    monkeypatch.setattr("emblar.steps.sessions.routes.home", broken)
    answer = calm.get("/", headers={"accept": "text/html"})
    assert answer.status_code == 500
    for name, value in security.HEADERS.items():
        assert answer.headers[name] == value
    assert "Traceback" not in answer.text


@pytest.mark.parametrize("number", LARGE_IDS)
@pytest.mark.parametrize(
    "path",
    [
        "/sessions/{}",
        "/sessions/{}/listen",
        "/sessions/{}/kit",
        "/sessions/{}/plan",
        "/sessions/{}/sheet",
        "/sessions/1/audio/{}",
    ],
)
def test_an_id_that_is_none_is_not_found(calm: TestClient, path: str, number: int) -> None:
    start_session(HERE, SessionBrief("X"))
    assert calm.get(path.format(number)).status_code == 404


def test_what_cannot_be_kept_is_told(calm: TestClient) -> None:
    session = start_session(HERE, SessionBrief("X")).id
    base = f"/sessions/{session}"
    for url, data in (
        ("/sessions", {"name": "a\0b"}),
        (f"{base}/kit/drums", TOM_FORM | {"name": "a\0b"}),
        (f"{base}/brief", {"name": "a\0b"}),
        (f"{base}/kit/drums", TOM_FORM | {"diameter_in": "nan"}),
        (f"{base}/kit/drums", TOM_FORM | {"diameter_in": "inf"}),
        (f"{base}/kit/drums", TOM_FORM | {"rods": "6.5"}),
        (f"{base}/kit/voices", {"voice": "kick", "drum": "²"}),
        (f"{base}/brief", {"name": "X", "tempo_bpm": "NaN"}),
        ("/shelf/heads", {"construction": "woven", "diameter_in": "inf"}),
        ("/shelf/heads", {"construction": "woven", "diameter_in": "12", "count": "1.5"}),
    ):
        answer = calm.post(url, data=data, headers=HTMX)
        assert answer.status_code in (404, 422), (url, data)
        assert "Traceback" not in answer.text
        assert len(answer.text) > 10
    assert kit.kit(HERE, session) == []
    for query in ("start=nan&stop=2", "start=1e400&stop=2", "start=-5&stop=-9", "undo=99999999999"):
        assert calm.get(f"{base}/listen?{query}").status_code in (200, 422)


def test_numbers_are_taken_as_people_type_them(calm: TestClient) -> None:
    session = start_session(HERE, SessionBrief("X")).id
    calm.post(f"/sessions/{session}/kit/drums", data=TOM_FORM | {"diameter_in": "13,5"})
    assert kit.kit(HERE, session)[0].owned.diameter_in == 13.5
    calm.post("/shelf/heads", data={"construction": "woven", "diameter_in": "13,5", "count": "2"})
    page = calm.get("/shelf").text
    assert "13.5 in" in page


def test_an_error_says_at_which_field_it_stands(calm: TestClient) -> None:
    session = start_session(HERE, SessionBrief("X")).id
    for url, data, field in (
        ("/sessions", {"name": " "}, "name"),
        (f"/sessions/{session}/kit/drums", TOM_FORM | {"depth_in": "99"}, "depth_in"),
        (f"/sessions/{session}/kit/drums", TOM_FORM | {"name": "x" * 81}, "name"),
        (f"/sessions/{session}/kit/drums", TOM_FORM | {"depth_in": "deep"}, "depth_in"),
        (f"/sessions/{session}/brief", {"name": "X", "hands": "0"}, "hands"),
        ("/shelf/heads", {"construction": "woven", "diameter_in": "big"}, "diameter_in"),
    ):
        answer = calm.post(url, data=data, headers=HTMX)
        assert answer.status_code == 422
        assert answer.headers["Emblar-Field"] == field
        assert "_" not in answer.text, "never a raw field name"


@pytest.mark.parametrize("letters", [60, 61, 80])
def test_a_drums_name_that_may_be_given_may_be_planned_and_exported(
    calm: TestClient, letters: int
) -> None:
    session = start_session(HERE, SessionBrief("X")).id
    drum = kit.add_drum(
        HERE,
        session,
        OWNED_TOM.__class__(
            **{
                **{f: getattr(OWNED_TOM, f) for f in OWNED_TOM.__slots__},
                "name": "x" * letters,
            }
        ),
    )
    plan.replan_drum(HERE, session, drum.id, {"pitch_hz": 120.0})
    file = calm.get(f"/sessions/{session}/plan/recipes.json")
    assert file.status_code == 200
    back = calm.post(
        f"/sessions/{session}/plan/recipes", files={"file": ("recipes.json", file.content)}
    )
    assert back.status_code == 200


@pytest.mark.parametrize("page", ["plan/ways", "listen/card.csv", "listen/strokes.csv"])
def test_a_page_that_needs_numbers_measures_them_right_after_a_correction(
    planned: int, calm: TestClient, page: str
) -> None:
    strokes.put_in_stroke(HERE, planned, 0.1, "snare")
    assert calm.get(f"/sessions/{planned}/{page}").status_code == 200
    found = listen.analysed_record(HERE, planned)
    assert found is not None
    assert found.analysis.measuring == []


def test_the_same_form_sent_twice_makes_one_thing(calm: TestClient) -> None:
    page = calm.get("/").text
    token = re.search(r'name="once" value="([^"]+)"', page)
    assert token is not None
    data = {"name": "Low Ferry", "once": token.group(1)}
    answers = [calm.post("/sessions", data=data) for _ in range(2)]
    assert len({a.url for a in answers}) == 1
    assert len(all_sessions(HERE)) == 1
    calm.post("/sessions", data={**data, "name": "Another"})
    assert len(all_sessions(HERE)) == 2, "another thing from the same page is another thing"
    session = all_sessions(HERE)[0].id
    gate = threading.Barrier(4)

    def add() -> None:
        gate.wait()
        calm.post(f"/sessions/{session}/kit/drums", data=TOM_FORM | {"once": "same"})

    threads = [threading.Thread(target=add) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(kit.kit(HERE, session)) == 1


def test_ids_are_found_in_their_own_session_only(planned: int, calm: TestClient) -> None:
    other = start_session(HERE, SessionBrief("Other")).id
    before = [(d.owned, d.voice, d.wish) for d in kit.kit(HERE, planned)]
    recording = listen.recording_of(HERE, planned)
    assert recording is not None
    base = f"/sessions/{other}"
    assert calm.get(f"{base}/audio/{recording.audio_id}").status_code == 404
    assert calm.get(f"/sessions/{planned}/audio/{recording.audio_id}").status_code == 200
    assert calm.get(f"{base}/plan/1/stroke.wav").status_code != 200
    listen_base = f"{base}/listen"
    piece = calm.post(
        f"/sessions/{planned}/listen/evidence/value",
        data={"sel": "kick", "quantity": "pitch", "value": "60", "trust": "likely"},
    )
    assert piece.status_code == 200
    for path, data in (
        ("kit/drums/1", TOM_FORM),
        ("kit/drums/1/take-out", {}),
        ("kit/drums/1/bring-back", {}),
        ("kit/parts-back", {"was": "1._2._3."}),
        ("kit/voices", {"voice": "kick", "drum": "1"}),
        ("plan/1", {"relation": "equal"}),
        ("plan/1/reading", {"hz": "50"}),
        (f"listen/files/{recording.id}/take-away", {}),
        (f"listen/files/{recording.id}/bring-back", {}),
        ("listen/again", {"recording": str(recording.id)}),
        ("listen/evidence/1/take-away", {"sel": "kick"}),
        ("listen/evidence/1/bring-back", {}),
    ):
        answer = calm.post(f"{base}/{path}", data=data, headers=HTMX)
        assert answer.status_code < 500, path
    assert calm.get(f"{listen_base}/progress?recording={recording.id}").status_code == 404
    assert [(d.owned, d.voice, d.wish) for d in kit.kit(HERE, planned)] == before
    found = listen.analysed_record(HERE, planned)
    assert found is not None
    assert len(found.files) == 1
    assert len(found.evidence) == 1


def test_many_plans_at_once_end_in_plans_or_in_a_clear_answer(
    planned: int, calm: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("emblar.platform.studio.LONGEST_WAIT_S", 0.5)
    answers = []

    def press() -> None:
        answers.append(calm.post(f"/sessions/{planned}/plan", headers=HTMX))

    threads = [threading.Thread(target=press) for _ in range(40)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    codes = [a.status_code for a in answers]
    assert set(codes) <= {200, 503}
    assert 200 in codes
    assert all("being planned already" in a.text for a in answers if a.status_code == 503)
    assert calm.get("/").status_code == 200


def flac(channels: int, seconds: float, rate: int) -> bytes:
    out = io.BytesIO()
    with soundfile.SoundFile(
        out, "w", samplerate=rate, channels=channels, format="FLAC", subtype="PCM_16"
    ) as file:
        block = np.zeros((rate, channels), np.int16)
        for _ in range(int(seconds)):
            file.write(block)
    return out.getvalue()


@pytest.mark.parametrize(
    ("channels", "seconds", "rate", "says"),
    [(8, 600, 44100, "are read up to"), (1, 2000, 8000, "minutes")],
)
def test_a_small_file_that_unpacks_to_gigabytes_is_refused_in_words(
    calm: TestClient, channels: int, seconds: int, rate: int, says: str
) -> None:
    session = start_session(HERE, SessionBrief("X")).id
    data = flac(channels, seconds, rate)
    assert len(data) < 30 * 2**20
    answer = calm.post(
        f"/sessions/{session}/listen/recording", files={"file": ("a.flac", data)}, headers=HTMX
    )
    assert answer.status_code == 422
    assert says in answer.text


@pytest.mark.parametrize(
    "at",
    [
        "bench/{0}/stroke",
        "bench/{0}/clip",
        "bench/hum/{0}/stroke",
        "bench/{0}/sweep/stroke",
        "bench/{0}/muffle/stroke",
        "bench/{0}/wires",
        "plan/sung/{0}/take",
        "match/round/2/take",
        "bench/{0}/tap",
        "match/{0}/take",
    ],
)
def test_a_clip_that_unpacks_to_gigabytes_is_refused_wherever_one_is_taken(
    planned: int, calm: TestClient, at: str
) -> None:
    snare = next(d.id for d in kit.kit(HERE, planned) if d.owned.kind == "snare")
    answer = calm.post(
        f"/sessions/{planned}/{at.format(snare)}",
        files={"file": ("a.flac", flac(1, 2000, 8000))},
        data={"side": "batter", "rod": "1"},
        headers=HTMX,
    )
    assert answer.status_code == 422
    assert "minutes" in answer.text


def test_a_picture_cut_off_is_refused_also_after_a_sheet_was_printed(
    planned: int, calm: TestClient
) -> None:
    slot = kit.kit(HERE, planned)[0].id
    setup = bench.bench(HERE, planned, slot).setup.id
    assert calm.get(f"/sessions/{planned}/sheet.pdf").content.startswith(b"%PDF")
    out = io.BytesIO()
    Image.effect_noise((900, 600), 50.0).save(out, "JPEG")
    answer = calm.post(
        f"/sessions/{planned}/match/{slot}/setups/{setup}/picture",
        files={"file": ("a.jpg", out.getvalue()[:900])},
        headers=HTMX,
    )
    assert answer.status_code == 422
    assert "picture cannot be read" in answer.text


def test_more_channels_than_are_read_are_refused_in_words(calm: TestClient) -> None:
    session = start_session(HERE, SessionBrief("X")).id
    out = io.BytesIO()
    soundfile.write(out, 0.1 * np.ones((4410, MOST_CHANNELS + 1)), 44100, format="WAV")
    answer = calm.post(
        f"/sessions/{session}/listen/recording",
        files={"file": ("a.wav", out.getvalue())},
        headers=HTMX,
    )
    assert answer.status_code == 422
    assert f"up to {MOST_CHANNELS} are read" in answer.text


@pytest.mark.parametrize(
    "change",
    [
        "document = document || '{\"mood\": 3}'",
        "document = '{}'",
        "document = jsonb_set(document, '{drums,1}', '{}')",
        "document = document #- '{drums,1,card}'",
    ],
)
def test_a_stored_plan_with_fields_unknown_or_missing_opens(
    planned: int, calm: TestClient, change: str
) -> None:
    with transaction() as db:
        db.execute(text(f"update plan set {change}"))
        db.execute(text("update session set asked = asked || '{\"mood\": 3}'"))
    for step in ("brief", "listen", "kit", "plan", "sheet"):
        assert calm.get(f"/sessions/{planned}/{step}").status_code == 200


def test_a_drum_with_a_dented_edge_is_not_swapped_in_silently(
    planned: int, calm: TestClient
) -> None:
    base = f"/sessions/{planned}/kit"
    kit.add_drum(HERE, planned, replace(OWNED_TOM, name="Rack 13"))
    kit.assign_voice(HERE, planned, "tom-1", 4)
    dented = {**TOM_FORM, "diameter_in": "10", "depth_in": "7", "found": ["edge-dent"]}
    calm.post(f"{base}/drums/1", data=dented)
    page = calm.post(f"{base}/suggest").text
    assert {d.id: d.voice for d in kit.kit(HERE, planned)}[4] == "tom-1", "a sound one does"
    assert "Nothing changed" in page
    calm.post(f"{base}/drums/4/take-out")
    page = calm.post(f"{base}/suggest").text
    assert "now plays tom 1" in page
    assert "though it has a dent in a bearing edge" in page


def test_matching_the_drums_says_what_changed_and_is_undone(planned: int, calm: TestClient) -> None:
    kit.assign_voice(HERE, planned, "tom-1", None)
    for path, back in (("kit/suggest", "kit"), ("plan/voices", "plan")):
        page = calm.post(f"/sessions/{planned}/{path}").text
        assert "Rack 12 now plays tom 1 (before: nothing)." in page
        was = re.search(r'name="was" value="([^"]+)"', page)
        assert was is not None
        data = {"was": was.group(1), "plan": "true" if back == "plan" else "false"}
        calm.post(f"/sessions/{planned}/kit/parts-back", data=data)
        assert {d.owned.name: d.voice for d in kit.kit(HERE, planned)}["Rack 12"] is None
