"""Bring the database to the shape this version needs."""

from importlib import resources

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, text

from emblar.core.errors import ServiceError

LOCK = 6_021_977
"""Key of the advisory lock that keeps two starting processes apart."""


def migration_config() -> Config:
    """Return Alembic's configuration, without a file of its own."""
    config = Config()
    config.set_main_option("script_location", str(resources.files("emblar.platform.migrations")))
    return config


def migrate(engine: Engine, revision: str = "head") -> None:
    """Migrate up to a revision, the newest if left out; safe to call at every start."""
    config = migration_config()
    # A connection that stayed open remembers types which a migration may replace.
    engine.dispose()
    with engine.connect() as connection:
        connection.execute(text("select pg_advisory_lock(:key)"), {"key": LOCK})
        connection.commit()
        try:
            config.attributes["connection"] = connection
            _check_known(config, connection)
            command.upgrade(config, revision)
            connection.commit()
        finally:
            connection.execute(text("select pg_advisory_unlock(:key)"), {"key": LOCK})
            connection.commit()


def _check_known(config: Config, connection: Connection) -> None:
    """Raise ``ServiceError`` where a newer Emblar has changed the database."""
    current = MigrationContext.configure(connection).get_current_revision()
    known = {script.revision for script in ScriptDirectory.from_config(config).walk_revisions()}
    connection.commit()
    if current is not None and current not in known:
        raise ServiceError(
            f"This database was made by a newer Emblar (its data are of version {current}, this "
            f"program knows up to {max(known)}). Start the newer Emblar, or restore a backup of "
            "this version. Nothing was changed."
        )


def downgrade(engine: Engine, revision: str) -> None:
    """Go back to a revision; data of what is taken away is lost."""
    config = migration_config()
    engine.dispose()
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.downgrade(config, revision)
