"""Bench in the browser: by typed numbers and keys, at phone size, and by the microphone."""

import re

import numpy as np
from playwright.sync_api import Browser, FilePayload, Page, expect

from emblar.core.acoustics.drum import Side
from emblar.platform.sound.encode import wav_bytes
from emblar.platform.studio import HERE
from emblar.steps.bench.actions import tuning as bench
from emblar.steps.bench.actions.state import TOLERANCE_CENTS
from emblar.steps.kit.actions.drums import kit
from emblar.steps.kit.queries.slots import KitDrum
from tests.browser.microphone import play_into_microphone
from tests.core.tuning.test_wires import tap
from tests.practice import DrumInTheRoom
from tests.recordings import RATE

BIG = "[data-big]"
TURN = re.compile(r"Rod (\d+): (up|down) (.+)")
SIZES = {"⅛": 0.125, "¼": 0.25, "⅜": 0.375, "½": 0.5, "⅝": 0.625, "¾": 0.75, "⅞": 0.875}
BEFORE_S = 0.5
TAP_S = 1.6


def drum_of(session: int, kind: str) -> KitDrum:
    return next(d for d in kit(HERE, session) if d.owned.kind == kind)


def turns_in(text: str) -> tuple[int, float] | None:
    """Return rod, from 0, and turns that an instruction asks for."""
    found = TURN.search(text)
    if found is None:
        return None
    size = 0.0
    for word in found[3].split():
        part = word.split("/")
        size += SIZES.get(word) or float(part[0]) / float(part[1] if len(part) > 1 else 1)
    return int(found[1]) - 1, size if found[2] == "up" else -size


def type_round(page: Page, room: DrumInTheRoom, side: Side) -> None:
    """Type what a clip-on reading would say next to each rod."""
    page.keyboard.press("e")
    pitches = room.hidden.rod_pitches_hz(side)
    for rod, hz in enumerate(pitches, start=1):
        page.get_by_label(f"Rod {rod} Hz", exact=True).fill(f"{hz:.1f}")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator(BIG)).not_to_have_text(re.compile("^Tap"))


def turn_all(page: Page, session: int, drum: KitDrum, room: DrumInTheRoom, side: Side) -> None:
    """Turn what the screen asks for, two rods one by one and the rest of the round at once."""
    for _ in range(2):
        asked = turns_in(page.locator(BIG).inner_text())
        if asked is None:
            return
        room.turn(side, *asked)
        before = page.locator(BIG).inner_text()
        page.keyboard.press("Enter")
        expect(page.locator(BIG)).not_to_have_text(before)
    head = bench.bench(HERE, session, drum.id).heads[side]
    if head.turning is not None:
        for rod in head.turning.left:
            room.turn(side, rod, head.turning.turns[rod])
        page.keyboard.press("t")
        expect(page.locator(BIG)).to_have_text("Tap round")


def tune_through(page: Page, session: int, drum: KitDrum, room: DrumInTheRoom) -> None:
    """Do every job by keys until a stroke is asked for."""
    for _ in range(60):
        text = page.locator(BIG).inner_text()
        job = bench.bench(HERE, session, drum.id).job
        if job is None or text.startswith("Strike"):
            return
        if text.startswith("Tap") and job.side is not None:
            type_round(page, room, job.side)
        elif text.startswith("Rod") and job.side is not None:
            turn_all(page, session, drum, room, job.side)
        else:
            number = page.locator(".subtitle-line").first.inner_text()
            if text.startswith("Tap"):
                page.get_by_role("button", name="Good enough: next job").click()
            else:
                page.keyboard.press("t" if job.id == "dampers" else "Enter")
            expect(page.locator(".subtitle-line").first).not_to_have_text(number)
            if job.text == "mount" and job.side:
                room.fit(bench.bench(HERE, session, drum.id), job.side)
    raise AssertionError("not done after 60 steps")


def check_in_tune(session: int, drum: KitDrum, room: DrumInTheRoom) -> None:
    for side, head in bench.bench(HERE, session, drum.id).heads.items():
        off = room.off_cents(side, head.goal_hz)
        assert np.abs(off).max() < 2.0 * TOLERANCE_CENTS[drum.owned.kind], (side, off)


def test_a_snare_is_tuned_by_typed_numbers_and_keys(page: Page, planned: int) -> None:
    drum = drum_of(planned, "snare")
    room = DrumInTheRoom(bench.bench(HERE, planned, drum.id), 7, slack=0.7, apart=0.06)
    page.goto(f"/sessions/{planned}/bench?sel=d{drum.id}")
    expect(page.locator(BIG)).to_have_text("Tap round")
    tune_through(page, planned, drum, room)
    expect(page.locator(BIG)).to_have_text("Strike once")
    check_in_tune(planned, drum, room)
    stroke: FilePayload = {"name": "stroke.wav", "mimeType": "audio/wav", "buffer": room.strike()}
    page.locator("input[type=file]").set_input_files(stroke)
    expect(page.locator(BIG)).to_have_text(re.compile(r"^\d+\.\d Hz$"))
    page.keyboard.press("Enter")
    expect(page.locator(BIG)).to_have_text("Done.")


def test_typed_pitches_stay_while_the_connection_is_lost(page: Page, planned: int) -> None:
    drum = drum_of(planned, "snare")
    page.goto(f"/sessions/{planned}/bench?sel=d{drum.id}")
    page.keyboard.press("e")
    first = page.get_by_label("Rod 1 Hz", exact=True)
    first.fill("250 Hz")
    page.context.set_offline(True)
    page.get_by_role("button", name="Save").click()
    expect(page.locator(".field-error")).to_contain_text("did not get through")
    expect(first).to_have_value("250 Hz")
    page.context.set_offline(False)
    with page.expect_response(lambda answer: answer.request.method == "POST"):
        page.get_by_role("button", name="Save").click()
    expect(page.locator(".field-error")).to_have_count(0)
    expect(page.locator(".bench-big")).to_contain_text("Tap")
    readings = bench.bench(HERE, planned, drum.id).heads["batter"].readings
    assert [row and row.hz for row in readings[:2]] == [250.0, None]


def test_a_tom_is_tuned_on_a_phone(browser: Browser, address: str, planned: int) -> None:
    drum = drum_of(planned, "tom")
    room = DrumInTheRoom(bench.bench(HERE, planned, drum.id), 9)
    context = browser.new_context(
        base_url=address, viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True
    )
    page = context.new_page()
    page.goto(f"/sessions/{planned}/bench?sel=d{drum.id}")
    for _ in range(40):
        now = bench.bench(HERE, planned, drum.id)
        if now.job is None or now.job.id == "listen":
            break
        text = page.locator(BIG).inner_text()
        side = now.job.side
        wide = page.evaluate("document.documentElement.scrollWidth")
        assert wide <= 390, f"{text}: {wide}"
        if text.startswith("Tap") and side is not None:
            clip: FilePayload = {
                "name": "taps.wav",
                "mimeType": "audio/wav",
                "buffer": room.taps(side, now.heads[side].unread),
            }
            page.locator("input[type=file]").set_input_files(clip)
            page.wait_for_url("**done=**")
        elif text.startswith("Rod") and side is not None:
            found = now.heads[side].advice
            assert found is not None
            for rod in found.order:
                room.turn(side, rod, found.turns[rod])
            page.get_by_role("button", name="All turned").tap()
            expect(page.locator(BIG)).to_have_text("Tap round")
        else:
            number = page.locator(".subtitle-line").first.inner_text()
            button = page.get_by_role("button", name=re.compile("^(Good enough|Next job|Done)"))
            button.first.tap()
            expect(page.locator(".subtitle-line").first).not_to_have_text(number)
    check_in_tune(planned, drum, room)
    main = page.locator(".bench-do .button").first.bounding_box()
    assert main is not None
    assert main["height"] >= 44
    context.close()


def one_tap(room: DrumInTheRoom, side: Side, rod: int) -> bytes:
    quiet = np.zeros(round(BEFORE_S * RATE))
    return wav_bytes(
        np.concatenate([quiet, room.hidden.tap(side, rod, rate=RATE, seconds=TAP_S)]), RATE
    )


def test_taps_are_read_through_the_microphone(page: Page, planned: int) -> None:
    drum = drum_of(planned, "snare")
    room = DrumInTheRoom(bench.bench(HERE, planned, drum.id), 11, slack=0.9, apart=0.04)
    for name in ("as-found", "inspect", "even-reso"):
        bench.finish_job(HERE, planned, drum.id, name, skip=True)
    page.goto(f"/sessions/{planned}/bench?sel=d{drum.id}")
    page.keyboard.press(" ")
    listening = page.locator("[data-listen-says]", has_text="Listening: stop")
    expect(listening).to_be_visible()
    for rod in range(drum.owned.rods):
        expect(page.locator("[data-bench]")).to_have_attribute("data-rod", str(rod))
        play_into_microphone(page, one_tap(room, "batter", rod))
    expect(page.locator(BIG)).not_to_contain_text("Tap")
    expect(listening).to_have_count(0)
    readings = bench.bench(HERE, planned, drum.id).heads["batter"].readings
    true = room.hidden.rod_pitches_hz("batter")
    cents = [
        1200.0 * np.log2(row.hz / hz) if row else np.inf
        for row, hz in zip(readings, true, strict=True)
    ]
    assert np.abs(cents).max() < 50.0


def test_a_wrong_pitch_stands_at_its_field_and_the_form_is_kept(page: Page, planned: int) -> None:
    drum = drum_of(planned, "tom")
    page.goto(f"/sessions/{planned}/bench?sel=d{drum.id}")
    page.keyboard.press("e")
    page.get_by_label("Rod 1 Hz", exact=True).fill("210")
    page.get_by_label("Rod 2 Hz", exact=True).fill("two")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#field-error")).to_contain_text("not a pitch")
    expect(page.get_by_label("Rod 1 Hz", exact=True)).to_have_value("210")
    assert bench.bench(HERE, planned, drum.id).heads["batter"].unread != ()


def test_what_was_read_is_there_when_the_page_is_loaded_again(page: Page, planned: int) -> None:
    drum = drum_of(planned, "tom")
    room = DrumInTheRoom(bench.bench(HERE, planned, drum.id), 4)
    page.goto(f"/sessions/{planned}/bench?sel=d{drum.id}")
    page.keyboard.press("e")
    for rod, hz in enumerate(room.hidden.rod_pitches_hz("batter"), start=1):
        page.get_by_label(f"Rod {rod} Hz", exact=True).fill(f"{hz:.1f}")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator(".bench-then")).to_contain_text("reso")
    page.reload()
    expect(page.locator(BIG)).to_have_text("Tap round")
    now = bench.bench(HERE, planned, drum.id)
    assert now.heads["batter"].unread == ()
    assert len(now.heads["reso"].unread) == drum.owned.rods


def test_practice_is_tuned_by_keys_and_the_ear_is_asked(page: Page, database: None) -> None:
    page.goto("/practice")
    page.get_by_role("button", name=re.compile("^First round")).click()
    expect(page.locator(".bench-big")).to_have_text("Rod 1")
    page.keyboard.press("e")
    expect(page.get_by_role("button", name="Hide the numbers")).to_be_visible()
    for rod in range(6):
        expect(page.locator(".bench-big")).to_have_text(f"Rod {rod + 1}")
        page.keyboard.press(" ")
        expect(page.locator(".subtitle-line")).to_contain_text(f"{rod + 1} tap")
        if rod < 5:
            page.keyboard.press("j")
    expect(page.locator(".bench-then")).to_contain_text("Rod ")
    page.keyboard.press("ArrowUp")
    expect(page.locator(".subtitle-line")).to_contain_text("1 turn ")
    page.keyboard.press("Enter")
    expect(page.get_by_role("status").first).to_contain_text("The rods lie")
    page.goto("/practice/ear/higher")
    page.keyboard.press(" ")
    page.keyboard.press("a")
    expect(page.get_by_role("status").first).to_contain_text("ct higher")
    page.goto("/practice")
    expect(page.locator("main")).to_contain_text("of 1 right")


def test_rods_are_counted_from_where_the_person_likes(page: Page, planned: int) -> None:
    drum = next(d for d in kit(HERE, planned) if d.owned.name == "Rack 12")
    page.goto(f"/sessions/{planned}/bench?sel=d{drum.id}")
    expect(page.locator("[data-then]")).to_contain_text("rod 1 nearest you")
    page.get_by_role("button", name="Count the rods from the badge").click()
    expect(page.locator("[data-then]")).to_contain_text("rod 1 at the badge")
    expect(page.locator(".bench-rods text")).to_have_text("badge")
    page.reload()
    expect(page.locator("[data-then]")).to_contain_text("rod 1 at the badge")
    page.get_by_role("button", name="Count the rods from you").click()
    expect(page.locator("[data-then]")).to_contain_text("rod 1 nearest you")


def test_the_drummers_word_is_kept_for_the_log(page: Page, planned: int) -> None:
    drum = next(d for d in kit(HERE, planned) if d.owned.name == "Rack 12")
    page.goto(f"/sessions/{planned}/bench?sel=d{drum.id}")
    page.locator(".bench-jobs > summary").click()
    page.get_by_label("For the log").fill("too dry for him, cold room")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_text("Kept for the log.")).to_be_visible()
    expect(page.get_by_label("For the log")).to_have_value("too dry for him, cold room")


def test_the_wires_are_set_by_a_soft_tap(page: Page, planned: int) -> None:
    drum = next(d for d in kit(HERE, planned) if d.owned.kind == "snare")
    bench.show_job(HERE, planned, drum.id, "wires")
    page.goto(f"/sessions/{planned}/bench?sel=d{drum.id}")
    expect(page.locator("[data-big]")).to_have_text("Set the wires")
    sound = tap("off")
    clip = wav_bytes(0.5 * sound / np.abs(sound).max(), RATE)
    page.get_by_label("Use a recorded tap").set_input_files(
        {"name": "tap.wav", "mimeType": "audio/wav", "buffer": clip}
    )
    expect(page.get_by_role("status").filter(has_text="do not answer a soft tap")).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.locator("[data-big]")).not_to_have_text("Set the wires")
