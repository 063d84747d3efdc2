"""``emblar sessions``: the sessions of a studio."""

from emblar.frame.commands import print_json


def sessions_command() -> None:
    """List the sessions, the newest first."""
    from emblar.formats.studio import SessionEntry, SessionsFile
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.sessions.actions.editing import all_sessions

    with database_at_hand():
        rows = [
            SessionEntry(
                id=s.id,
                name=s.name,
                studio=s.studio,
                artist=s.artist,
                drums=s.drums,
                downbeat_at=s.downbeat_at,
                recordings=s.recordings,
                plan_version=s.plan_version,
            )
            for s in all_sessions(HERE)
        ]
    print_json(SessionsFile(sessions=rows))
