"""What the command line tells of a studio: its sessions, kits, plan versions and links."""

from datetime import datetime
from typing import Literal

from pydantic import Field

from emblar.formats.codec import Strict
from emblar.formats.recipes import RecipesFile


class SessionEntry(Strict):
    """One session."""

    id: int
    name: str
    studio: str
    artist: str
    downbeat_at: datetime | None
    recordings: int = Field(description="those that are analysed")
    drums: int
    plan_version: int | None


class SessionsFile(Strict):
    """The studio's sessions, the newest first."""

    schema_: Literal["emblar.sessions/1"] = Field(default="emblar.sessions/1", alias="schema")
    sessions: list[SessionEntry]


class KitRow(Strict):
    """A kit that a session can begin with."""

    source: str = Field(description="what --use takes")
    name: str
    drums: list[str]


class KitsFile(Strict):
    """The kits there are: the last session's, those kept by name, and new ones."""

    schema_: Literal["emblar.kits/1"] = Field(default="emblar.kits/1", alias="schema")
    kits: list[KitRow]


class VersionRow(Strict):
    """One version of a plan."""

    version: int
    says: str = Field(description="what changed")
    created_at: datetime
    restores: int | None = Field(description="the version it brings back")


class VersionsFile(Strict):
    """Every version of a session's plan, the newest first."""

    schema_: Literal["emblar.plan-versions/1"] = Field(
        default="emblar.plan-versions/1", alias="schema"
    )
    session: int
    versions: list[VersionRow]


class WorkedFile(Strict):
    """Recipes of drums that were tuned to their plan, by the session's style."""

    schema_: Literal["emblar.worked-recipes/1"] = Field(
        default="emblar.worked-recipes/1", alias="schema"
    )
    styles: dict[str, list[RecipesFile]]


class AccountLine(Strict):
    """Somebody who may come in."""

    id: int
    name: str
    role: str


class AccountsFile(Strict):
    """Who may come in, by name."""

    schema_: Literal["emblar.accounts/1"] = Field(default="emblar.accounts/1", alias="schema")
    accounts: list[AccountLine]


class LinkRow(Strict):
    """A link that is open."""

    id: int
    name: str
    parts: list[str]
    expires_at: datetime
    opened: int


class LinksFile(Strict):
    """A session's open links; the address of a new one is told once."""

    schema_: Literal["emblar.links/1"] = Field(default="emblar.links/1", alias="schema")
    session: int
    links: list[LinkRow]
    address: str | None = Field(default=None, description="of the link just made")


class NetworkFile(Strict):
    """Whether others on the network are let in, and where links and phones reach this machine."""

    schema_: Literal["emblar.network/1"] = Field(default="emblar.network/1", alias="schema")
    others_let_in: bool
    links: str = Field(description="how shared links begin")
    phones: str | None = Field(description="how a phone's link begins; null if none is let in")


class SaidRow(Strict):
    """What somebody said of a drum."""

    id: int
    drum: str
    who: str
    link: str | None = Field(description="whom the link it came through is for; null without one")
    words: str
    quantity: str | None = Field(description="what there should be more or less of")
    steps: float | None = Field(description="by so many audible steps")
    state: Literal["new", "accepted", "set aside"]
    at: datetime


class SaidFile(Strict):
    """What was said of a session's drums, the newest first."""

    schema_: Literal["emblar.said/1"] = Field(default="emblar.said/1", alias="schema")
    session: int
    said: list[SaidRow]
