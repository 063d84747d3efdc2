"""Settings, from the environment (``EMBLAR_…``) or from what ``emblar serve`` sets up."""

from datetime import UTC, datetime
from functools import lru_cache
from ipaddress import ip_address
from pathlib import Path
from typing import Literal

from pydantic import Field, ValidationError
from pydantic_settings import BaseSettings, SettingsConfigDict

from emblar.core.errors import InputError

COUNTS_FOLDER = "PROMETHEUS_MULTIPROC_DIR"
"""Where several processes keep their counts; looked at when prometheus_client is imported."""


class Settings(BaseSettings):
    """Everything that can be set from outside."""

    model_config = SettingsConfigDict(env_prefix="EMBLAR_")

    database_url: str = Field(
        default="", description="PostgreSQL to use; empty: Emblar starts one of its own"
    )
    separator_weights: Path | None = Field(
        default=None,
        description="Folder with the weights of a neural separator; empty: separate by templates",
    )
    home: Path = Field(
        default=Path("var"), description="Where Emblar's own PostgreSQL keeps its data and logs"
    )
    host: str = Field(default="127.0.0.1", description="Address the browser connects to")
    accounts: bool = Field(
        default=False,
        description="Ask for an account also at this machine's own address, as behind a proxy; at "
        "any other address one is always asked for",
    )
    known_hosts: str = Field(
        default="",
        description="Host names at which browsers reach Emblar, with commas, for example behind a "
        "proxy; this machine's own names and addresses are known",
    )
    proxy: str = Field(
        default="",
        description="Address of a proxy in front of Emblar, whose X-Forwarded-For is believed; "
        "empty: nobody's is",
    )
    backups: int = Field(
        default=5,
        ge=0,
        le=100,
        description="How many daily backups are kept in the home folder; 0: none are made",
    )
    share_host: str = Field(
        default="",
        description="Address at which links that were shared are answered, and nothing else; "
        "empty: they open on this machine only",
    )
    share_port: int = Field(
        default=8010, ge=1, le=65535, description="Port for links that were shared"
    )
    phone_port: int = Field(
        default=8011,
        ge=1,
        le=65535,
        description="Port for paired phones, next to that for shared links",
    )
    share_url: str = Field(
        default="", description="How links begin, where that is not the address itself"
    )
    frozen_time: datetime | None = Field(
        default=None,
        validation_alias="EMBLAR_NOW",
        description="The time it is taken to be, for pictures; empty: what it is",
    )
    port: int = Field(default=8000, ge=1, le=65535, description="Port the browser connects to")
    web_processes: int = Field(
        default=1,
        ge=1,
        le=32,
        description="How many processes answer the browser; a studio of many techs takes as many "
        "as the machine has cores",
    )
    log: Literal["plain", "json"] = Field(
        default="plain",
        description="How logs are written: for people, or a line of JSON each, requests among them",
    )
    mark_key: str = Field(
        default="", description="Made by emblar serve where several processes answer"
    )

    @property
    def own_address(self) -> bool:
        """Whether only this machine reaches the address."""
        try:
            return ip_address(self.host).is_loopback
        except ValueError:
            return self.host == "localhost"

    @property
    def asks_who(self) -> bool:
        """Whether whoever comes has to say who they are."""
        return self.accounts or not self.own_address


@lru_cache(maxsize=1)
def settings() -> Settings:
    """Return the settings of this process.

    Raises
    ------
    InputError
        A variable of the environment holds something it cannot.
    """
    try:
        return Settings()
    except ValidationError as error:
        first = error.errors()[0]
        name = "EMBLAR_" + "_".join(str(part) for part in first["loc"]).upper()
        given = str(first["input"])[:40]
        raise InputError(f"{name} cannot be “{given}”. {first['msg']}.") from None


def current_time() -> datetime:
    """Return the time, or what it is set to be."""
    return settings().frozen_time or datetime.now(UTC)
