"""A person who presses whatever is there: forms as the pages offer them, filled in anyhow."""

import random
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from html.parser import HTMLParser

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from emblar.app import create_app
from emblar.platform.database import transaction
from emblar.platform.studio import HERE
from emblar.steps.kit.actions import drums as kit
from emblar.steps.listen.actions.recordings import run_analysis
from tests.steps.match.test_comparison import a_take

STEPS = (
    "listen",
    "kit",
    "plan",
    "bench",
    "match",
    "match/pads",
    "match/round",
    "bench/hum",
    "bench/1/sweep",
    "bench/1/muffle",
    "bench/1/cures",
    "share",
    "evening",
)
TYPED = ("", "x", "Rack 12 “new”", "1,5", "180", "-1", "é" * 80, "0.3", "2030-12-01T18:00", "1e3")
PRESSES = 40


@dataclass
class Form:
    """A form of a page: where it goes, and what it holds by name."""

    action: str
    values: dict[str, list[str]] = field(default_factory=dict)
    choices: dict[str, list[str]] = field(default_factory=dict)
    typed: list[str] = field(default_factory=list)
    files: list[str] = field(default_factory=list)
    buttons: list[tuple[str, str, str]] = field(default_factory=list)


class Page(HTMLParser):
    """The forms and links of a page."""

    def __init__(self, html: str) -> None:
        super().__init__()
        self.forms: list[Form] = []
        self.links: list[str] = []
        self._select = ""
        self.feed(html)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        told = {name: value or "" for name, value in attrs}
        name, value = told.get("name", ""), told.get("value", "")
        if tag == "form":
            posts = told.get("method") == "post" and "everything" not in told.get("action", "")
            self.forms.append(Form(told["action"] if posts else ""))
        elif tag == "a" and re.match(r"/(?!static)", told.get("href", "")):
            self.links.append(told["href"])
        elif self.forms and tag == "button":
            self.forms[-1].buttons.append((name, value, told.get("formaction", "")))
        elif self.forms and tag == "select":
            self._select = name
        elif self.forms and tag == "option":
            self.forms[-1].choices.setdefault(self._select, []).append(value)
        elif self.forms and tag in ("input", "textarea") and name:
            kind = told.get("type", "text")
            own = self.forms[-1]
            if kind == "file":
                own.files.append(name)
            elif kind not in ("checkbox", "radio") or "checked" in told:
                own.values.setdefault(name, []).append(value)
            if kind in ("text", "number", "search", "datetime-local"):
                own.typed.append(name)


def filled(form: Form, rng: random.Random) -> tuple[str, dict[str, list[str]]]:
    """Return where a form goes and what it sends: mostly as it is, some of it anyhow."""
    data = dict(form.values)
    for name, choices in form.choices.items():
        data[name] = [rng.choice(choices) if rng.random() < 0.5 else choices[0]]
    for name in form.typed:
        if rng.random() < 0.4:
            data[name] = [rng.choice(TYPED)]
    action = form.action
    if form.buttons:
        name, value, elsewhere = rng.choice(form.buttons)
        action = elsewhere or action
        if name:
            data[name] = [value]
    return action, data


@pytest.fixture
def client() -> Iterator[TestClient]:
    with TestClient(create_app(), base_url="http://127.0.0.1", follow_redirects=True) as found:
        yield found


def work_done(rng: random.Random) -> None:
    """Now and then a worker has measured what was brought."""
    if rng.random() < 0.2:
        with transaction() as db:
            waiting = "select id from recording where state = 'waiting' and deleted_at is null"
            found = db.execute(text(waiting)).scalars().all()
        for recording_id in found[:1]:
            run_analysis(recording_id)


def test_whatever_is_pressed_every_page_answers(
    planned: int, client: TestClient, groove: bytes
) -> None:
    rng = random.Random(1)
    tom = next(d for d in kit.kit(HERE, planned) if d.owned.kind == "tom")
    sounds = (groove, a_take(planned, tom), b"no sound")
    pressed = 0
    while pressed < PRESSES:
        url = f"/sessions/{planned}/{rng.choice(STEPS)}"
        if rng.random() < 0.6:
            url += f"?sel=d{rng.randint(1, 3)}"
        page = Page(client.get(url).text)
        forms = [f for f in page.forms if f.action and not f.action.endswith("/delete")]
        if not forms:
            continue
        action, data = filled(form := rng.choice(forms), rng)
        files = {name: ("a.wav", rng.choice(sounds)) for name in form.files}
        # An error of ours would be raised here.
        answer = client.post(action, data=data, files=files or None)
        assert answer.status_code < 500, (action, data)
        pressed += 1
        work_done(rng)
