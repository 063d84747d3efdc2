"""``emblar export`` and ``import`` on a database, beside a server that may run on it."""

import json
import os
import subprocess
import sys
from pathlib import Path

from emblar.platform.settings import settings


def emblar(home: Path, *arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "emblar.main", *arguments],
        capture_output=True,
        text=True,
        check=False,
        env={
            **os.environ,
            "EMBLAR_HOME": str(home),
            "EMBLAR_DATABASE_URL": settings().database_url,
        },
    )


def test_export_and_import_say_how_much(planned: int, tmp_path: Path) -> None:
    file = tmp_path / "all.zip"
    done = emblar(tmp_path, "export", str(file))
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout) == {"sessions": 1, "drums": 3, "readings": 0, "sounds": 1}
    again = emblar(tmp_path, "import", str(file))
    assert again.returncode == 2
    assert "here already" in again.stderr


def test_what_cannot_be_read_or_written_is_one_line(database: None, tmp_path: Path) -> None:
    none = emblar(tmp_path, "import", str(tmp_path / "none.zip"))
    assert (none.returncode, none.stderr.count("\n")) == (2, 1)
    nowhere = emblar(tmp_path, "export", str(tmp_path / "no" / "folder.zip"))
    assert (nowhere.returncode, nowhere.stderr.count("\n")) == (2, 1)
    assert "cannot be written" in nowhere.stderr
