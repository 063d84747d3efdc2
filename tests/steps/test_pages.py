import re
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

import pytest
from fastapi.testclient import TestClient

from emblar.platform.studio import HERE
from emblar.steps.kit.actions import drums as kit
from emblar.steps.listen.actions import recordings as listen
from emblar.steps.listen.routes.sounds import asked_range
from emblar.steps.plan.actions import planning as plan
from emblar.steps.sessions.actions.editing import brief_of, one_session
from tests.drums import OWNED_KICK, OWNED_TOM, TOM_FORM
from tests.recordings import bad_recordings

pytestmark = pytest.mark.usefixtures("database")
HTMX = {"HX-Request": "true"}


STEPS = ("brief", "listen", "kit", "plan", "bench", "match", "sheet")


@pytest.mark.parametrize("step", STEPS)
def test_every_step_opens_in_an_empty_session(client: TestClient, session: int, step: str) -> None:
    answer = client.get(f"/sessions/{session}/{step}")
    assert answer.status_code == 200
    assert 'aria-current="page"' in answer.text
    assert "Low Ferry" in answer.text


@pytest.mark.parametrize("step", STEPS)
def test_every_step_opens_in_a_planned_session(client: TestClient, planned: int, step: str) -> None:
    assert client.get(f"/sessions/{planned}/{step}?sel=kick").status_code == 200


@pytest.mark.parametrize("place", ["/", "/shelf", "/log", "/practice", "/patterns", "/health"])
def test_every_place_opens(client: TestClient, place: str) -> None:
    assert client.get(place).status_code == 200


def test_every_answer_carries_a_strict_policy_and_pages_hold_no_inline_code(
    client: TestClient, planned: int
) -> None:
    for step in STEPS:
        answer = client.get(f"/sessions/{planned}/{step}")
        assert "default-src 'none'" in answer.headers["Content-Security-Policy"]
        assert not re.search(r"<script(?![^>]*\bsrc=)|\son[a-z]+=|\sstyle=|<style", answer.text)
        assert not re.search(r'(src|href|action)="(https?:)?//', answer.text)


@pytest.mark.parametrize("name", [n for n in bad_recordings() if n != "noise.wav"])
def test_a_bad_recording_is_answered_with_what_to_do(
    client: TestClient, session: int, name: str
) -> None:
    data, says = bad_recordings()[name]
    url = f"/sessions/{session}/listen/recording"
    answer = client.post(url, files={"file": (name, data)}, headers=HTMX)
    assert answer.status_code == 422
    assert re.search(says, answer.text)
    assert listen.recording_of(HERE, session) is None
    assert client.get("/health").status_code == 200


def test_300_mb_are_refused(client: TestClient, session: int) -> None:
    answer = client.post(
        f"/sessions/{session}/listen/recording",
        content=b"x",
        headers={"Content-Length": str(300 * 2**20), "Content-Type": "multipart/form-data"},
    )
    assert answer.status_code == 413
    assert "300 MB; Emblar takes up to 200 MB" in answer.text


def test_noise_fails_on_the_page_with_what_to_do(client: TestClient, session: int) -> None:
    data, says = bad_recordings()["noise.wav"]
    url = f"/sessions/{session}/listen/recording"
    page = client.post(url, files={"file": ("noise.wav", data)}).text
    assert "Waiting for its turn" in page
    recording = listen.recording_of(HERE, session)
    assert recording is not None
    listen.run_analysis(recording.id)
    page = client.get(f"/sessions/{session}/listen").text
    assert says in page
    assert "was not kept" in page


def test_progress_says_the_stage_and_ends_by_loading_the_step(
    client: TestClient, session: int, groove: bytes
) -> None:
    recording = listen.bring_recording(HERE, session, "groove.flac", groove, "drums")
    url = f"/sessions/{session}/listen/progress?recording={recording.id}"
    assert "Waiting for its turn" in client.get(url).text
    listen.run_analysis(recording.id)
    assert client.get(url).headers["HX-Redirect"] == f"/sessions/{session}/listen"


def test_cancelling_leads_back_to_bringing_a_recording(
    client: TestClient, session: int, groove: bytes
) -> None:
    listen.bring_recording(HERE, session, "groove.flac", groove, "drums")
    page = client.post(f"/sessions/{session}/listen/cancel").text
    assert "Add the record" in page


def test_listen_shows_lanes_card_and_reasons(client: TestClient, planned: int) -> None:
    page = client.get(f"/sessions/{planned}/listen?sel=tom-1").text
    assert "Tom 1 on the record" in page
    assert page.count('data-voice="tom-1"') == 3
    for word in ("pitch", "bend", "sustain", "attack", "ring"):
        assert f'<th scope="row">{word}</th>' in page
    assert "settled" in page
    assert "only a snare has wires" not in page
    narrow = client.get(f"/sessions/{planned}/listen?sel=tom-1&start=0&stop=2").text
    assert narrow.count('data-voice="tom-1"') == 0


@pytest.mark.parametrize("stop", ["1.7976931348623157e308", "-1e300", "1e9999", "nan"])
def test_a_window_that_cannot_be_is_refused(client: TestClient, planned: int, stop: str) -> None:
    told = client.get(f"/sessions/{planned}/listen/waveform?start=0&stop={stop}")
    assert told.status_code == 422


def test_the_waveform_of_a_window_is_a_list_of_peaks(client: TestClient, planned: int) -> None:
    found = client.get(f"/sessions/{planned}/listen/waveform?start=0&stop=1").json()
    assert len(found["low"]) == len(found["high"]) == 200
    assert max(found["high"]) > 0.1


def test_sound_is_served_whole_and_in_ranges(client: TestClient, planned: int) -> None:
    whole = client.get(f"/sessions/{planned}/audio/1")
    assert whole.headers["Accept-Ranges"] == "bytes"
    part = client.get(f"/sessions/{planned}/audio/1", headers={"Range": "bytes=10-19"})
    assert part.status_code == 206
    assert part.content == whole.content[10:20]
    assert part.headers["Content-Range"] == f"bytes 10-19/{len(whole.content)}"
    assert (
        client.get(f"/sessions/{planned}/audio/1", headers={"Range": "bytes=99999999-"}).status_code
        == 416
    )
    assert client.get(f"/sessions/{planned}/audio/77").status_code == 404


@pytest.mark.parametrize(
    ("header", "span"),
    [(None, None), ("bytes=0-", (0, 99)), ("bytes=-10", (90, 99)), ("lines=1-2", None)],
)
def test_ranges_are_read_as_asked(header: str | None, span: tuple[int, int] | None) -> None:
    assert asked_range(header, 100) == span


def test_a_drum_is_added_changed_taken_out_and_brought_back(
    client: TestClient, session: int
) -> None:
    base = f"/sessions/{session}/kit"
    page = client.post(f"{base}/drums", data=TOM_FORM).text
    assert "Remove Rack 12 from the kit" in page
    page = client.post(f"{base}/drums/1", data=TOM_FORM | {"name": "High tom"}).text
    assert "Remove High tom from the kit" in page
    page = client.post(f"{base}/drums/1/take-out").text
    assert "Undo" in page
    assert kit.kit(HERE, session) == []
    client.post(f"{base}/drums/1/bring-back")
    assert [d.owned.name for d in kit.kit(HERE, session)] == ["High tom"]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"diameter_in": "0"}, "Diameter: 0 is outside 6 to 28 in"),
        ({"diameter_in": "wide"}, "“wide” is not a number"),
        ({"rods": "13"}, "Rods: 13 is odd"),
        ({"batter": "silk"}, "no head “silk”"),
    ],
)
def test_an_impossible_drum_is_answered_with_field_value_and_range(
    client: TestClient, session: int, change: dict[str, Any], says: str
) -> None:
    url = f"/sessions/{session}/kit/drums"
    answer = client.post(url, data=TOM_FORM | change, headers=HTMX)
    assert answer.status_code == 422
    assert re.search(says, answer.text)
    assert kit.kit(HERE, session) == []


def test_the_plan_shows_lugs_pitch_and_schools(client: TestClient, planned: int) -> None:
    page = client.get(f"/sessions/{planned}/plan?sel=tom-1").text
    made = plan.latest_plan(HERE, planned)
    assert made is not None
    lugs = made.drums[1].prediction.lug_hz
    assert f"batter lug {lugs.batter:.0f}" in page
    assert f"reso lug {lugs.reso:.0f}" in page
    assert "Lug pitch is not drum pitch" in page
    assert "reso higher (chosen)" in page


def test_asking_for_another_relation_starts_at_its_usual_interval(
    client: TestClient, planned: int
) -> None:
    url = f"/sessions/{planned}/plan/1"
    client.post(url, data={"relation": "equal", "was": "higher", "semitones": "2"})
    made = plan.latest_plan(HERE, planned)
    assert made is not None
    assert made.drums[1].semitones == 0.0
    client.post(url, data={"relation": "equal", "was": "equal", "semitones": "1,5"})
    made = plan.latest_plan(HERE, planned)
    assert made is not None
    assert made.drums[1].semitones == 1.5
    bad = client.post(url, data={"relation": "equal", "pitch_hz": "high"}, headers=HTMX)
    assert bad.status_code == 422
    assert "is not a number. The plan is as it was" in bad.text
    assert plan.latest_plan(HERE, planned) == made


def test_a_changed_drum_makes_the_plan_stale(client: TestClient, planned: int) -> None:
    assert "changed since this plan" not in client.get(f"/sessions/{planned}/plan?sel=tom-1").text
    kit.change_drum(HERE, planned, 1, replace(OWNED_TOM, reso="single-coated"))
    assert "changed since this plan" in client.get(f"/sessions/{planned}/plan?sel=tom-1").text


def test_the_planned_stroke_is_served(client: TestClient, planned: int) -> None:
    answer = client.get(f"/sessions/{planned}/plan/1/stroke.wav")
    assert answer.headers["content-type"] == "audio/wav"
    assert answer.content[:4] == b"RIFF"


def test_the_sheet_downloads_as_json_and_csv(client: TestClient, planned: int) -> None:
    found = client.get(f"/sessions/{planned}/sheet.json")
    assert found.json()["schema"] == "emblar.sheet/1"
    assert "low-ferry-sheet.json" in found.headers["Content-Disposition"]
    table = client.get(f"/sessions/{planned}/sheet.csv").text
    assert table.splitlines()[0].startswith("drum,kind,size")
    assert len(table.splitlines()) == 4


def test_the_sheet_of_nothing_says_what_it_needs(client: TestClient, session: int) -> None:
    assert "still needs a plan" in client.get(f"/sessions/{session}/sheet").text
    answer = client.get(f"/sessions/{session}/sheet.json")
    assert answer.status_code == 422
    assert "Plan the kit first" in answer.text


def test_own_schools_and_the_players_ways_are_kept_and_said(
    client: TestClient, session: int
) -> None:
    fields = {
        "name": "Low Ferry",
        "force": "hard",
        "buries_beater": "true",
        "school_heads": "reso higher",
        "school_port": "closed front",
    }
    client.post(f"/sessions/{session}/brief", data=fields)
    asked = brief_of(one_session(HERE, session))
    assert asked.schools == {"relation of the heads": "reso higher", "port": "closed front"}
    assert (asked.force, asked.buries_beater) == ("hard", True)
    page = client.get(f"/sessions/{session}/brief").text
    assert "say so where they cannot: reso higher, closed front." in page
    assert re.search(r'value="reso higher" selected', page)
    answer = client.post(f"/sessions/{session}/brief", data={**fields, "school_port": "half"})
    assert answer.status_code == 422
    assert "closed front or ported front, not “half”" in answer.text
    assert brief_of(one_session(HERE, session)) == asked, "nothing was changed"


def test_what_was_found_on_a_drum_is_kept_planned_and_on_the_sheet(
    client: TestClient, planned: int
) -> None:
    fields = {**TOM_FORM, "edge": "round-over", "found": ["rattle", "edge-dent"]}
    client.post(f"/sessions/{planned}/kit/drums/1", data=fields)
    (tom,) = (d for d in kit.kit(HERE, planned) if d.id == 1)
    assert tom.owned.findings == ("rattle", "edge-dent")
    assert tom.owned.edge == "round-over"
    assert len(re.findall(r"checked", client.get(f"/sessions/{planned}/kit?sel=d1").text)) == 2
    assert "changed since this plan" in client.get(f"/sessions/{planned}/plan?sel=d1").text
    client.post(f"/sessions/{planned}/plan")
    said = "Rack 12 has a dent in a bearing edge: it buzzes for ever"
    for page in ("plan?sel=d1", "sheet"):
        assert said in client.get(f"/sessions/{planned}/{page}").text
    answer = client.post(
        f"/sessions/{planned}/kit/drums/1", data={**fields, "found": ["wires-crooked"]}
    )
    assert "a tom cannot have wires that are bent" in answer.text


def test_what_becomes_of_a_front_head_is_asked_of_kicks(client: TestClient, planned: int) -> None:
    assert "plan-port" not in client.get(f"/sessions/{planned}/plan?sel=d1").text, "a tom"
    kit.change_drum(HERE, planned, 2, replace(OWNED_KICK, port_in=None))
    assert "plan-port" in client.get(f"/sessions/{planned}/plan?sel=d2").text
    answer = client.post(f"/sessions/{planned}/plan/2", data={"port": "ring"}, headers=HTMX)
    assert "the brief forbids cutting" in answer.text
    client.post(f"/sessions/{planned}/plan/2", data={"port": "closed"})
    latest = plan.latest_plan(HERE, planned)
    assert latest is not None
    assert latest.drums[2].port_in is None
    client.post(f"/sessions/{planned}/plan/2", data={"port": "off"})
    page = client.get(f"/sessions/{planned}/plan?sel=d2").text
    assert "No front head" in page
    sheet = client.get(f"/sessions/{planned}/sheet").text
    assert "no front head" in sheet
    bench = client.get(f"/sessions/{planned}/bench?sel=d2").text
    assert "Take the front head off" in bench


def test_a_reso_chosen_by_hand_does_not_make_the_plan_stale(
    client: TestClient, planned: int
) -> None:
    client.post(f"/sessions/{planned}/plan/1", data={"reso": "single-coated"})
    page = client.get(f"/sessions/{planned}/plan?sel=d1").text
    assert "reso: single ply, coated" in page
    assert "changed since this plan" not in page


def test_a_session_is_deleted_and_brought_back(client: TestClient, session: int) -> None:
    page = client.post(f"/sessions/{session}/delete").text
    assert "Session deleted" in page
    assert client.get(f"/sessions/{session}/listen").status_code == 404
    assert "Low Ferry" in client.post(f"/sessions/{session}/restore").text


def test_the_brief_is_kept(client: TestClient, session: int) -> None:
    at = (datetime.now() + timedelta(days=1)).strftime("%Y-%m-%dT%H:%M")
    client.post(f"/sessions/{session}/brief", data={"name": "Low Ferry", "downbeat_at": at})
    assert at in client.get(f"/sessions/{session}/brief").text
    bad = {"name": "Low Ferry", "downbeat_at": "tomorrow"}
    answer = client.post(f"/sessions/{session}/brief", data=bad, headers=HTMX)
    assert "“tomorrow” is not a date" in answer.text


def test_what_is_not_there_is_said_calmly(client: TestClient) -> None:
    page = client.get("/sessions/99/listen", headers={"Accept": "text/html"})
    assert page.status_code == 404
    assert "There is no session 99" in page.text
    assert client.get("/nowhere").status_code == 404


@pytest.mark.parametrize(
    "headers", [{"Sec-Fetch-Site": "cross-site"}, {"Origin": "http://elsewhere.example"}]
)
def test_a_change_asked_for_by_another_site_is_refused(
    client: TestClient, session: int, headers: dict[str, str]
) -> None:
    answer = client.post(f"/sessions/{session}/delete", headers=headers)
    assert answer.status_code == 403
    assert client.get(f"/sessions/{session}/listen").status_code == 200


def test_a_stroke_is_moved_taken_out_put_in_and_taken_back(
    client: TestClient, planned: int
) -> None:
    base = f"/sessions/{planned}/listen"
    window = {"start": "0", "stop": "6"}
    found = listen.analysed_record(HERE, planned)
    assert found is not None
    at = next(h.time_s for h in found.analysis.hits if h.voice == "tom-1")
    chosen = {"chosen": f"{at}@tom-1", "sel": "tom-1", "voice": "kick"}
    page = client.post(f"{base}/strokes/move", data={**chosen, **window})
    assert "moved from tom 1 to kick" in page.text
    assert "Tom 1 on the record" in page.text, "the selection stays"
    page = client.post(f"{base}/take-back?sel=tom-1")
    assert page.text.count('data-voice="tom-1"') == 3
    page = client.post(
        f"{base}/strokes/put-in", data={"time_s": "2.95", "voice": "cymbal", **window}
    )
    assert "Cymbal stroke added at 2.95 s" in page.text
    found = listen.analysed_record(HERE, planned)
    assert found is not None
    at = next(h.time_s for h in found.analysis.hits if h.voice == "cymbal")
    chosen = {"chosen": f"{at}@cymbal", "sel": "kick"}
    page = client.post(f"{base}/strokes/take-out", data={**chosen, **window})
    assert "Cymbal stroke at 2.95 s removed" in page.text


@pytest.mark.parametrize(
    ("path", "data", "says"),
    [
        (
            "strokes/move",
            {"chosen": "5.55@tom-1", "sel": "kick", "voice": "kick"},
            "not there any more",
        ),
        ("strokes/move", {"chosen": "0.3@kick", "sel": "kick", "voice": "bell"}, "is no voice"),
        ("strokes/put-in", {"time_s": "99", "voice": "kick"}, "outside the recording"),
        ("toms/merge", {"voice": "tom-1"}, "no tom below tom 1"),
        ("toms/split", {"voice": "kick"}, "no tom"),
    ],
)
def test_a_correction_that_cannot_be_made_is_told_and_changes_nothing(
    client: TestClient, planned: int, path: str, data: dict[str, str], says: str
) -> None:
    before = listen.analysed_record(HERE, planned)
    window = {"start": "0", "stop": "6"} if path.startswith("strokes") else {}
    answer = client.post(f"/sessions/{planned}/listen/{path}", data=data | window, headers=HTMX)
    assert answer.status_code == (409 if "any more" in says else 422)
    assert says in answer.text
    after = listen.analysed_record(HERE, planned)
    assert before is not None
    assert after is not None
    assert before.analysis == after.analysis


@pytest.mark.parametrize(
    ("name", "media", "starts"),
    [
        ("strokes.mid", "audio/midi", b"MThd"),
        ("strokes.csv", "text/csv", b"time_s,voice"),
        ("card.json", "application/json", b'{\n  "schema": "emblar.analysis/1"'),
        ("card.csv", "text/csv", b"drum,quantity"),
        ("stems/kick.flac", "audio/flac", b"fLaC"),
        ("stems/drums.flac", "audio/flac", b"fLaC"),
    ],
)
def test_what_was_heard_downloads_as_files(
    client: TestClient, planned: int, name: str, media: str, starts: bytes
) -> None:
    answer = client.get(f"/sessions/{planned}/listen/{name}")
    assert answer.headers["content-type"].startswith(media)
    assert answer.headers["content-disposition"].startswith('attachment; filename="low-ferry-')
    assert answer.content.startswith(starts)


def test_a_part_that_is_not_there_is_said(client: TestClient, planned: int) -> None:
    answer = client.get(f"/sessions/{planned}/listen/stems/drumless.flac", headers=HTMX)
    assert answer.status_code == 404
    assert "Only a full mix" in answer.text


def test_the_card_says_other_readings_and_where_it_is_heard_cleanly(
    client: TestClient, planned: int
) -> None:
    page = client.get(f"/sessions/{planned}/listen?sel=tom-1").text
    assert "Heard most cleanly" in page
    assert "Split tom 1 in two" in page
    assert "Decay of the note" in page
