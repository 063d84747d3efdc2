"""What a shared link shows: the sheet, how near each drum is, how it sounds, and what was said."""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from emblar.core.quantities.registry import steps
from emblar.formats.plan import DrumPlanFile
from emblar.frame.words import changed_by
from emblar.platform.sessions import SessionInfo
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.match.actions.comparison import Match
from emblar.steps.match.page.comparison import match_title, rulers_of
from emblar.steps.share.actions import ACCEPTED, NEW, Opened
from emblar.steps.share.queries import CommentInfo
from emblar.steps.sheet.page import SheetPage

BECAME = {NEW: "", ACCEPTED: "taken up"}


@dataclass(frozen=True, slots=True)
class SharedSound:
    """A sound to play: what it is, and where."""

    title: str
    href: str


@dataclass(frozen=True, slots=True)
class SharedDrum:
    """One drum as the link shows it."""

    slot_id: int
    name: str
    size: str
    match: str
    rulers: Markup | None
    sounds: tuple[SharedSound, ...]
    comments: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class WishChoice:
    """What there may be more or less of."""

    value: str
    text: str


@dataclass(frozen=True, slots=True)
class SharedPage:
    """Everything a shared link shows."""

    title: str
    artist: str
    studio: str
    until: str
    base: str
    sheet: SheetPage | None
    drums: tuple[SharedDrum, ...]
    choices: tuple[WishChoice, ...]


def shared_page(
    opened: Opened,
    token: str,
    session: SessionInfo,
    drums: Sequence[tuple[KitDrum, DrumPlanFile | None, Match | None]],
    sheet: SheetPage | None,
    comments: Sequence[CommentInfo],
) -> SharedPage:
    """Return the page of a link; what it does not show is not in it."""
    base = f"/s/{token}"
    rows = tuple(_drum(opened, base, row, comments) for row in drums)
    until = opened.share.expires_at.astimezone().strftime("%Y-%m-%d")
    return SharedPage(
        session.name, session.artist, session.studio, until, base, sheet, rows, wish_choices()
    )


def wish_choices() -> tuple[WishChoice, ...]:
    """Return what there may be more or less of."""
    return tuple(
        WishChoice(f"{name}:{way}", f"{name}: {getattr(step, way)}")
        for name, step in steps().items()
        for way in ("more", "less")
    )


def _drum(
    opened: Opened,
    base: str,
    row: tuple[KitDrum, DrumPlanFile | None, Match | None],
    comments: Sequence[CommentInfo],
) -> SharedDrum:
    drum, plan, match = row
    owned, parts = drum.owned, opened.share.parts
    shown = match.shown if match is not None else None
    sounds = []
    if "sounds" in parts:
        if plan is not None:
            sounds.append(SharedSound("as planned", f"{base}/drums/{drum.id}/planned.wav"))
        if shown is not None:
            sounds.append(SharedSound("the record", f"{base}/drums/{drum.id}/record.wav"))
            sounds.append(SharedSound("the newest take", f"{base}/drums/{drum.id}/take.wav"))
    known, drawn = "", None
    if "match" in parts:
        known = "No take yet."
        if match is not None and shown is not None:
            title = match_title("", shown.comparison)
            known, drawn = title.removeprefix(": ").capitalize() + ".", rulers_of(match, shown)
    members = tuple(_comment(c) for c in comments if c.slot_id == drum.id)
    size = f"{owned.diameter_in:g} × {owned.depth_in:g} in"
    return SharedDrum(drum.id, owned.name, size, known, drawn, tuple(sounds), members)


def _comment(comment: CommentInfo) -> str:
    request = asked_words(comment)
    became = BECAME.get(comment.state, "")
    description = ": ".join(x for x in (request, comment.text) if x)
    return f"{comment.author}: {description}{f' ({became})' if became else ''}"


def asked_words(comment: CommentInfo) -> str:
    """Return what there should be more or less of, in words."""
    if comment.quantity is None or comment.steps is None:
        return ""
    if comment.quantity not in steps():
        return ""
    return changed_by(comment.quantity, comment.steps, amount=False)
