"""Settings, from the environment (``EMBLAR_…``) or from what ``emblar serve`` sets up."""

from datetime import UTC, datetime
from functools import lru_cache
from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


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
    open_to_network: bool = Field(
        default=False,
        description="Serve at another address than this machine's own, to whoever reaches it: "
        "there are no accounts yet",
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
    share_port: int = Field(default=8010, description="Port for links that were shared")
    phone_port: int = Field(
        default=8011, description="Port for paired phones, beside that for shared links"
    )
    share_url: str = Field(
        default="", description="How links begin, where that is not the address itself"
    )
    now: datetime | None = Field(
        default=None, description="The time it is taken to be, for pictures; empty: what it is"
    )
    port: int = Field(default=8000, description="Port the browser connects to")


@lru_cache(maxsize=1)
def settings() -> Settings:
    """Return the settings of this process."""
    return Settings()


def now() -> datetime:
    """Return the time, or what it is set to be."""
    return settings().now or datetime.now(UTC)
