"""Where others reach Emblar: who comes says who they are, and does what the role may."""

import contextlib
import re
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from pathlib import Path
from zipfile import ZipFile

import pytest
from argon2 import PasswordHasher
from argon2.exceptions import VerificationError
from fastapi import FastAPI
from fastapi.testclient import TestClient
from sqlalchemy import text
from typer.testing import CliRunner

from emblar.app import create_app
from emblar.core.errors import InputError, NotFoundError
from emblar.main import app as shell
from emblar.platform.database import transaction
from emblar.platform.settings import current_time, settings
from emblar.platform.studio import HERE, Studio
from emblar.steps.accounts import actions
from emblar.steps.accounts.actions import MOST_WRONG, TooManyAttemptsError, add_account
from emblar.steps.accounts.entrance import COOKIE, own_path
from emblar.steps.kit.actions.drums import kit
from emblar.steps.sessions.actions.export import export_everything
from emblar.steps.share.actions import comments_on
from tests.steps.test_studio import address, app_routes, sent

PASSWORD = "drums are wood and air"
PAGE = {"accept": "text/html"}
FREE = ("/login", "/invite/{token}", "/health", "/healthz")


@pytest.fixture
def site(planned: int, monkeypatch: pytest.MonkeyPatch) -> Iterator[FastAPI]:
    """The application as others reach it, with an owner, a tech and a guest."""
    monkeypatch.setattr(settings(), "accounts", True)
    monkeypatch.setattr(settings(), "known_hosts", "studio.local")
    # A third of a second for every login would be most of what these tests take.
    cheap = PasswordHasher(time_cost=1, memory_cost=64, parallelism=1)
    monkeypatch.setattr(actions, "_hasher", lambda: cheap)
    for name in ("Owner", "Tech", "Guest"):
        add_account(HERE.studio_id, name, name.lower(), PASSWORD)
    yield create_app()


@pytest.fixture
def as_(site: FastAPI) -> Callable[[str], TestClient]:
    """A browser in which somebody is logged in; nobody if the name is empty."""

    def browser(name: str, *, follow: bool = False) -> TestClient:
        client = TestClient(site, base_url="https://studio.local", follow_redirects=follow)
        if name:
            done = client.post("/login", data={"name": name, "password": PASSWORD})
            assert done.status_code == 303, done.text
        return client

    return browser


def test_a_stranger_finds_the_login_and_nothing_else(
    site: FastAPI, as_: Callable[[str], TestClient], planned: int
) -> None:
    stranger, walked = as_(""), 0
    for method, path in app_routes(site):
        if path in FREE:
            continue
        url = address(path, planned)
        assert sent(stranger, method, url) == 401, f"{method} {url}"
        if method == "GET":
            page = stranger.get(url, headers=PAGE)
            assert page.status_code == 303, url
            assert page.headers["location"].startswith("/login?to=%2F"), url
        walked += 1
    assert walked > 150
    assert stranger.get("/static/base.css").status_code == 200


def test_a_guest_sees_the_work_and_changes_none_of_it(
    site: FastAPI, as_: Callable[[str], TestClient], planned: int
) -> None:
    guest, walked = as_("Guest"), 0
    for method, path in app_routes(site):
        ends_itself = path == "/logout" or path.startswith("/account/logins")
        if method != "POST" or path in FREE or ends_itself:
            continue
        url = address(path, planned)
        own = path == "/account/password" or path.endswith("/share/say")
        status = sent(guest, method, url)
        assert (status < 403 or status in (404, 422)) if own else (status == 403), url
        walked += 1
    assert walked > 80
    for place in ("plan", "listen", "bench", "match", "sheet", "kit", "brief"):
        page = guest.get(f"/sessions/{planned}/{place}", headers=PAGE)
        assert page.status_code == 200, place
    assert "You are here as a guest" in guest.get("/").text


def test_a_guest_says_what_they_would_like_and_a_tech_takes_it_up(
    as_: Callable[[str], TestClient], planned: int
) -> None:
    guest, tech, url = as_("Guest"), as_("Tech"), f"/sessions/{planned}/share"
    tom = next(d for d in kit(HERE, planned) if d.owned.kind == "tom")
    assert "Say something" in guest.get(url, headers=PAGE).text
    words = {"drum": str(tom.id), "more": "sustain:less", "said": "Let it stop."}
    assert guest.post(f"{url}/say", data=words, follow_redirects=False).status_code == 303
    (said,) = comments_on(HERE, planned)
    assert (said.comment.author, said.comment.text, said.link) == ("Guest", "Let it stop.", "")
    accept = f"{url}/said/{said.comment.id}/accept"
    assert guest.post(accept).status_code == 403
    assert tech.post(accept, follow_redirects=False).status_code == 303
    wished = next(d for d in kit(HERE, planned) if d.id == tom.id).wish
    assert wished["steps"]["sustain"] < 0.0
    empty = guest.post(f"{url}/say", data={"drum": str(tom.id)})
    assert empty.status_code == 422


def test_only_an_owner_lets_others_in_and_takes_everything_along(
    as_: Callable[[str], TestClient],
) -> None:
    tech, owner = as_("Tech"), as_("Owner")
    for url in ("/log/everything", "/metrics"):
        assert tech.get(url).status_code == 403
        assert owner.get(url).status_code == 200
    assert tech.post("/account/people/invite", data={"role": "owner"}).status_code == 403
    for what in ("let-in", "keep-out"):
        assert tech.post(f"/network/1/{what}").status_code == 403
    assert tech.post("/sessions", data={"name": "By the tech"}).status_code == 303
    page = tech.get("/account").text
    assert "Who may come in" not in page
    assert "Who may come in" in owner.get("/account").text


def test_an_account_of_another_studio_sees_none_of_this_one(
    site: FastAPI, as_: Callable[[str], TestClient], planned: int
) -> None:
    with transaction() as db:
        db.execute(text("insert into studio (id, name) overriding system value values (2, 'B')"))
    add_account(2, "Elsewhere", "owner", PASSWORD)
    other = as_("Elsewhere")
    for method, path in app_routes(site):
        if "{session_id}" in path and not path.endswith("/restore"):
            assert sent(other, method, address(path, planned)) == 404, f"{method} {path}"
    mine = actions.accounts(HERE)[0].id
    assert other.post(f"/account/people/{mine}/end").status_code == 404
    assert (
        "Owner" not in other.get("/account").text.replace("Elsewhere", "").split("Who may")[1][:300]
    )


def test_an_ended_account_and_an_ended_login_are_out_at_once(
    as_: Callable[[str], TestClient],
) -> None:
    tech, again, owner = as_("Tech"), as_("Tech"), as_("Owner")
    assert tech.get("/").status_code == 200
    ends = re.findall(r"/account/logins/(\d+)/end", again.get("/account").text)
    assert len(ends) == 1, "not the one that asks"
    assert again.post(f"/account/logins/{ends[0]}/end").status_code == 303
    assert tech.get("/").status_code == 401
    assert again.get("/").status_code == 200
    assert owner.post(f"/account/logins/{ends[0]}/end").status_code == 404, "not one's own"
    tech_id = next(a.id for a in actions.accounts(HERE) if a.name == "Tech")
    assert owner.post(f"/account/people/{tech_id}/end").status_code == 303
    assert again.get("/").status_code == 401
    refused = again.post("/login", data={"name": "Tech", "password": PASSWORD})
    assert refused.status_code == 422
    add_account(HERE.studio_id, "Tech", "guest", PASSWORD)
    last = next(a.id for a in actions.accounts(HERE) if a.role == "owner")
    with pytest.raises(InputError, match="last owner"):
        actions.end_account(HERE, last)


def test_a_login_goes_out_and_a_changed_password_ends_the_others(
    as_: Callable[[str], TestClient],
) -> None:
    here, there = as_("Tech"), as_("Tech")
    wrong = here.post("/account/password", data={"old": "not it at all", "password": "x" * 12})
    assert (wrong.status_code, wrong.headers.get("Emblar-Field")) == (422, "old")
    short = here.post("/account/password", data={"old": PASSWORD, "password": "short"})
    assert (short.status_code, short.headers.get("Emblar-Field")) == (422, "password")
    done = here.post("/account/password", data={"old": PASSWORD, "password": "another good one"})
    assert done.status_code == 303
    assert here.get("/").status_code == 200
    assert there.get("/").status_code == 401
    out = here.post("/logout")
    assert out.headers["location"] == "/login"
    assert here.get("/").status_code == 401


def test_a_name_is_not_guessed_at_for_long(as_: Callable[[str], TestClient]) -> None:
    nobody = as_("")
    for _ in range(MOST_WRONG):
        answer = nobody.post("/login", data={"name": " tECH ", "password": "guess guess"})
        assert answer.status_code == 422
        assert "do not belong together" in answer.text
    answer = nobody.post("/login", data={"name": "Tech", "password": PASSWORD})
    assert answer.status_code == 429, "not even the right one now"
    assert int(answer.headers["Retry-After"]) > 0
    assert nobody.post("/login", data={"name": "Owner", "password": PASSWORD}).status_code == 303
    with transaction() as db:
        db.execute(
            text("update login_attempt set at = :at"),
            {"at": current_time() - timedelta(minutes=16)},
        )
    assert nobody.post("/login", data={"name": "Tech", "password": PASSWORD}).status_code == 303


def test_guesses_made_at_once_are_counted_too(as_: Callable[[str], TestClient]) -> None:
    def guess(_: int) -> bool:
        with contextlib.suppress(TooManyAttemptsError):
            try:
                actions.log_in("Tech", "guess guess", "", "10.0.0.9")
            except TooManyAttemptsError:
                raise
            except InputError:
                return True
        return False

    as_("")
    with ThreadPoolExecutor(12) as pool:
        assert sum(pool.map(guess, range(24))) == MOST_WRONG


def test_a_right_password_is_no_wrong_one(as_: Callable[[str], TestClient]) -> None:
    for _ in range(MOST_WRONG + 2):
        as_("Tech")


def test_an_unknown_name_is_answered_as_a_wrong_password(as_: Callable[[str], TestClient]) -> None:
    nobody = as_("")
    one, other = (
        nobody.post("/login", data={"name": name, "password": "guess guess"})
        for name in ("Tech", "No such name")
    )
    assert one.status_code == other.status_code == 422
    strip = [re.sub(r'value="[^"]*"', "", answer.text) for answer in (one, other)]
    assert strip[0] == strip[1]


def test_an_invitation_makes_one_account_of_its_role_once(as_: Callable[[str], TestClient]) -> None:
    owner, newcomer = as_("Owner"), as_("")
    page = owner.post("/account/people/invite", data={"role": "tech"}).text
    link = re.search(r"https://studio\.local(/invite/[\w-]+)", page)
    assert link is not None
    assert link[1] not in owner.get("/account").text, "it is shown once"
    assert "invited as tech" in newcomer.get(link[1], headers=PAGE).text
    taken = newcomer.post(link[1], data={"name": "Owner", "password": PASSWORD})
    assert taken.status_code == 422
    assert "Choose another name" in taken.text
    done = newcomer.post(link[1], data={"name": "Newcomer", "password": PASSWORD})
    assert done.status_code == 303
    assert "You are here as tech" in newcomer.get("/account").text
    assert as_("").post(link[1], data={"name": "Third", "password": PASSWORD}).status_code == 404
    token = actions.invite(HERE, "guest")
    with transaction() as db:
        db.execute(text("update invitation set expires_at = :at"), {"at": current_time()})
    with pytest.raises(NotFoundError, match="Ask for a new one"):
        actions.accept(token, "Late", PASSWORD)


def test_the_cookie_is_for_the_browser_alone_and_no_secret_is_kept(
    site: FastAPI, as_: Callable[[str], TestClient]
) -> None:
    client = as_("")
    answer = client.post("/login", data={"name": "Owner", "password": PASSWORD, "to": "/log"})
    assert answer.headers["location"] == "/log"
    cookie = answer.headers["set-cookie"].lower()
    assert all(word in cookie for word in ("httponly", "secure", "samesite=lax"))
    token = client.cookies[COOKIE]
    with transaction() as db:
        kept = [
            str(row)
            for table in ("account", "login")
            for row in db.execute(text(f"select * from {table}"))
        ]
    assert not any(token in row or PASSWORD in row for row in kept)
    assert any("$argon2id$" in row for row in kept)
    away = client.post(
        "/login", data={"name": "Owner", "password": PASSWORD, "to": "https://elsewhere.example/"}
    )
    assert away.headers["location"] == "/"


@pytest.mark.parametrize(
    ("asked", "goes"),
    [("/log?q=x", "/log?q=x"), ("//elsewhere", "/"), ("/\\elsewhere", "/"), ("elsewhere", "/")],
)
def test_nobody_is_sent_to_another_site(asked: str, goes: str) -> None:
    assert own_path(asked) == goes


def test_who_may_come_in_is_in_no_export(site: FastAPI, tmp_path: Path) -> None:
    file = tmp_path / "all.zip"
    export_everything(HERE, file)
    told = ZipFile(file).read("everything.json")
    assert b"argon2" not in told
    assert b'"account"' not in told


@pytest.mark.parametrize(
    ("name", "role", "password", "field"),
    [
        ("", "tech", PASSWORD, "name"),
        ("x" * 61, "tech", PASSWORD, "name"),
        ("A", "king", PASSWORD, "role"),
        ("A", "tech", "short", "password"),
        ("A", "tech", "x" * 201, "password"),
        ("long enough", "tech", "Long Enough", "password"),
    ],
)
def test_what_will_not_do_is_told_at_its_field(
    database: None, name: str, role: str, password: str, field: str
) -> None:
    with pytest.raises(InputError) as told:
        add_account(HERE.studio_id, name, role, password)
    assert told.value.field == field


def test_accounts_are_made_listed_and_ended_from_the_shell(
    database: None, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("EMBLAR_HOME", str(tmp_path))
    settings.cache_clear()
    add = ["account", "add", "Owner", "--role", "owner", "--password-stdin"]
    done = CliRunner().invoke(shell, add, input=f"{PASSWORD}\n")
    assert "Owner may come in as owner" in done.stdout
    add_account(HERE.studio_id, "Tech", "tech", PASSWORD)
    with transaction() as db:
        kept = str(
            db.execute(text("select password from account where name = 'Owner'")).scalar_one()
        )
    cost = {k: int(v) for k, v in (pair.split("=") for pair in kept.split("$")[3].split(","))}
    assert cost["m"] >= 19 * 1024, "as OWASP asks at least"
    assert '"emblar.accounts/1"' in CliRunner().invoke(shell, ["account", "list"]).stdout
    tech = next(a for a in actions.accounts(HERE) if a.name == "Tech")
    assert "comes in no more" in CliRunner().invoke(shell, ["account", "end", str(tech.id)]).stdout
    assert [a.name for a in actions.accounts(HERE)] == ["Owner"]
    assert actions.accounts(Studio(2)) == []


@pytest.mark.parametrize("host", ["evil.example", "studio.local.evil.example", "127.0.0.1.evil"])
def test_a_forged_host_is_not_answered_and_gets_into_no_link(
    as_: Callable[[str], TestClient], host: str
) -> None:
    owner = as_("Owner")
    forged = {"host": host, "origin": f"https://{host}"}
    answer = owner.post("/account/people/invite", data={"role": "tech"}, headers=forged)
    assert answer.status_code in (400, 403)
    assert "/invite/" not in answer.text
    right = owner.post("/account/people/invite", data={"role": "tech"})
    assert "https://studio.local/invite/" in right.text


def test_an_invitation_is_listed_and_can_be_revoked(as_: Callable[[str], TestClient]) -> None:
    owner = as_("Owner")
    link = re.search(
        r"/invite/[\w-]+", owner.post("/account/people/invite", data={"role": "tech"}).text
    )
    assert link is not None
    listed = owner.get("/account").text
    assert "tech, made by Owner" in listed
    number = re.search(r"/account/invitations/(\d+)/revoke", listed)
    assert number is not None
    owner.post(number.group(0))
    assert "made by Owner" not in owner.get("/account").text
    with pytest.raises(NotFoundError):
        actions.invited_as(link.group(0).rpartition("/")[2])


def test_an_invitation_ends_with_the_account_that_made_it(site: FastAPI) -> None:
    second = add_account(HERE.studio_id, "Second", "owner", PASSWORD)
    token = actions.invite(HERE, "owner", made_by=second.id)
    assert actions.invited_as(token) == "owner"
    actions.end_account(HERE, second.id)
    with pytest.raises(NotFoundError):
        actions.accept(token, "Third", PASSWORD)


def test_guesses_from_elsewhere_do_not_lock_out_who_knows_the_password(site: FastAPI) -> None:
    for number in range(MOST_WRONG + 3):
        with contextlib.suppress(InputError):
            actions.log_in("Owner", f"guess number {number}", "d", "203.0.113.9")
    assert actions.log_in("Owner", PASSWORD, "d", "198.51.100.4")
    with pytest.raises(TooManyAttemptsError):
        actions.log_in("Owner", PASSWORD, "d", "203.0.113.9")


def test_guesses_of_the_old_password_are_limited(site: FastAPI) -> None:
    who = actions.logged_in_user(actions.log_in("Tech", PASSWORD, "d", "198.51.100.4"))
    assert who is not None
    for number in range(MOST_WRONG):
        with pytest.raises(InputError, match="not your current password"):
            actions.change_password(who, f"guess number {number}", "five wooden drums here")
    with pytest.raises(TooManyAttemptsError):
        actions.change_password(who, PASSWORD, "five wooden drums here")


@pytest.mark.parametrize(
    "password", ["password123", "PasswordPassword", "1234567890", "aaaaaaaaaaaa", "qwertyuiop!!"]
)
def test_a_password_that_attackers_try_first_is_refused(database: None, password: str) -> None:
    with pytest.raises(InputError, match="first that attackers try"):
        add_account(HERE.studio_id, "Somebody", "tech", password)


def test_few_passwords_are_hashed_at_a_time(site: FastAPI, monkeypatch: pytest.MonkeyPatch) -> None:
    running, most, lock = 0, 0, threading.Lock()

    class Slow:
        def verify(self, *_: str) -> bool:
            nonlocal running, most
            with lock:
                running += 1
                most = max(most, running)
            time.sleep(0.05)
            with lock:
                running -= 1
            raise VerificationError

    monkeypatch.setattr(actions, "_hasher", Slow)
    monkeypatch.setattr(actions, "_nobodys", lambda: "")

    def wrong(number: int) -> None:
        with contextlib.suppress(InputError):
            actions.log_in(f"nobody {number}", "wrong", "d", f"198.51.100.{number}")

    with ThreadPoolExecutor(8) as pool:
        list(pool.map(wrong, range(16)))
    assert most == actions.HASHES_AT_ONCE


def test_too_many_wrong_names_from_one_address_have_to_wait(site: FastAPI) -> None:
    for number in range(actions.MOST_WRONG_FROM):
        with contextlib.suppress(InputError):
            actions.log_in(f"nobody {number}", "wrong", "d", "203.0.113.7")
    with pytest.raises(TooManyAttemptsError):
        actions.log_in("Guest", PASSWORD, "d", "203.0.113.7")


def test_a_login_that_is_not_used_for_a_month_has_ended(
    site: FastAPI, monkeypatch: pytest.MonkeyPatch
) -> None:
    token = actions.log_in("Guest", PASSWORD, "d", "198.51.100.4")
    monkeypatch.setattr(actions, "current_time", lambda: current_time() + timedelta(days=29))
    assert actions.logged_in_user(token) is not None
    monkeypatch.setattr(actions, "current_time", lambda: current_time() + timedelta(days=29 + 31))
    assert actions.logged_in_user(token) is None


def test_an_unknown_name_is_hashed_as_a_known_one_is(
    site: FastAPI, monkeypatch: pytest.MonkeyPatch
) -> None:
    hashed: list[str] = []

    class Counted:
        def verify(self, kept: str, _: str) -> bool:
            hashed.append(kept)
            raise VerificationError

    monkeypatch.setattr(actions, "_hasher", Counted)
    monkeypatch.setattr(actions, "_nobodys", lambda: "of nobody")
    for name in ("Owner", "Nobody at all"):
        with pytest.raises(InputError):
            actions.log_in(name, "wrong password", "d", "198.51.100.4")
    assert len(hashed) == 2
    assert hashed[1] == "of nobody"


def test_two_people_cannot_use_one_invitation_at_the_same_time(site: FastAPI) -> None:
    for number in range(4):
        token = actions.invite(HERE, "tech")
        together = threading.Barrier(2)

        def accept(name: str, token: str = token, together: threading.Barrier = together) -> bool:
            together.wait()
            try:
                actions.accept(token, name, PASSWORD)
            except NotFoundError:
                return False
            return True

        with ThreadPoolExecutor(2) as pool:
            accepted = list(pool.map(accept, (f"One {number}", f"Two {number}")))
        assert sorted(accepted) == [False, True]
