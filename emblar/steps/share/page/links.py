"""Share: the links of a session, the new one with its code to scan, and what was said."""

import socket
from collections.abc import Sequence
from dataclasses import dataclass

import segno
from markupsafe import Markup

from emblar.core.naming import counted
from emblar.platform.network import ANY, answered_at
from emblar.platform.settings import settings
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.share.actions import NEW, PARTS, Said
from emblar.steps.share.page.shared import WishChoice, asked_words, wish_choices
from emblar.steps.share.queries import ShareInfo
from emblar.steps.workspace.page import STEPS

CODE_SCALE = 5


@dataclass(frozen=True, slots=True)
class LinkLine:
    """An open link."""

    id: int
    name: str
    text: str


@dataclass(frozen=True, slots=True)
class SaidLine:
    """What was said of a drum."""

    id: int
    text: str
    comment: str
    new: bool
    became: str


@dataclass(frozen=True, slots=True)
class SharePage:
    """Everything the Share page shows."""

    base: str
    links: tuple[LinkLine, ...]
    comments: tuple[SaidLine, ...]
    parts: tuple[str, ...]
    link: str
    code: Markup | None
    reaches_others: bool
    by_settings: bool
    """Whether others are let in by a setting, not by the switch on this page."""
    phone: bool
    back: str
    """Step that the page was opened from."""
    drums: tuple[tuple[int, str], ...]
    choices: tuple[WishChoice, ...]


def share_page(
    session_id: int,
    links: Sequence[ShareInfo],
    description: Sequence[Said],
    token: str,
    *,
    reaches_others: bool,
    drums: Sequence[KitDrum],
    phone: bool = False,
    back: str = "sheet",
) -> SharePage:
    """Return the page; ``token`` is that of a link just made, to look at or of a ``phone``."""
    href = f"{link_begins()}/s/{token}" if token else ""
    if token and phone:
        href = f"{phone_begins()}/p/{token}" if reaches_others else ""
    return SharePage(
        f"/sessions/{session_id}/share",
        tuple(_row(link) for link in links),
        tuple(_comment_row(row) for row in description),
        PARTS,
        href,
        _code(href) if href else None,
        reaches_others,
        bool(settings().share_host),
        phone,
        back if back in dict(STEPS) else "sheet",
        tuple((drum.id, drum.owned.name) for drum in drums),
        wish_choices(),
    )


def link_begins() -> str:
    """Return how links begin: as set, or the address that shared links are answered at."""
    config = settings()
    if config.share_url:
        return config.share_url.rstrip("/")
    if not answered_at():
        return f"http://{config.host}:{config.port}"
    return f"http://{reached_at()}:{config.share_port}"


def phone_begins() -> str:
    """Return how the link that pairs a phone begins."""
    return f"https://{reached_at()}:{settings().phone_port}"


def reached_at() -> str:
    """Return the address at which others on the network reach shared links."""
    return reached_by(answered_at())


def reached_by(host: str) -> str:
    """Return the address by which others reach what is served at a host."""
    return _address() if host in ANY else host


def _address() -> str:
    """Return this machine's address on its network; nothing is sent."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            probe.connect(("10.255.255.255", 1))
        except OSError:
            return "127.0.0.1"
        return str(probe.getsockname()[0])


def _code(href: str) -> Markup:
    drawn = segno.make(href).svg_inline(scale=CODE_SCALE, title="Code to scan", omitsize=True)
    return Markup(drawn)


def _row(link: ShareInfo) -> LinkLine:
    until = link.expires_at.astimezone().strftime("%Y-%m-%d")
    opened = "not opened yet" if not link.opened else f"opened {counted(link.opened, 'time')}"
    return LinkLine(link.id, link.name, f"{', '.join(link.parts)} · until {until} · {opened}")


def _comment_row(row: Said) -> SaidLine:
    comment = row.comment
    when = comment.created_at.astimezone().strftime("%Y-%m-%d %H:%M")
    request = asked_words(comment)
    text = f"{row.drum}: {request}" if request else row.drum
    return SaidLine(
        comment.id,
        text,
        f"{comment.text} " if comment.text else "",
        comment.state == NEW,
        f"{comment.author}, {when}" + ("" if comment.state == NEW else f" · {comment.state}"),
    )
