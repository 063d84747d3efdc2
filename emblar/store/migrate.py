"""Bring the database to the shape this version needs."""

from importlib import resources

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, text

LOCK = 6_021_977
"""Key of the advisory lock that keeps two starting processes apart."""


def migration_config() -> Config:
    """Return Alembic's configuration, without a file of its own."""
    config = Config()
    config.set_main_option("script_location", str(resources.files("emblar.store.migrations")))
    return config


def migrate(engine: Engine, revision: str = "head") -> None:
    """Migrate up to a revision, the newest if left out; safe to call at every start."""
    config = migration_config()
    with engine.connect() as connection:
        connection.execute(text("select pg_advisory_lock(:key)"), {"key": LOCK})
        connection.commit()
        try:
            config.attributes["connection"] = connection
            command.upgrade(config, revision)
            connection.commit()
        finally:
            connection.execute(text("select pg_advisory_unlock(:key)"), {"key": LOCK})
            connection.commit()


def downgrade(engine: Engine, revision: str) -> None:
    """Go back to a revision; data of what is taken away is lost."""
    config = migration_config()
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.downgrade(config, revision)
