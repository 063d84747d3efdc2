"""Settings, from the environment (``EMBLAR_…``) or from what ``emblar serve`` sets up."""

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
    port: int = Field(default=8000, description="Port the browser connects to")


@lru_cache(maxsize=1)
def settings() -> Settings:
    """Return the settings of this process."""
    return Settings()
