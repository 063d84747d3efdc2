"""What Emblar is made of: ``python -m scripts.supply`` writes ``docs/licences``.

``sbom.cdx.json`` is a CycloneDX bill of materials of everything that is shipped or installed to run
Emblar, ``README.md`` a table of the same with each licence.
"""

import json
import re
import subprocess
import sys
import tempfile
import tomllib
from importlib import metadata
from pathlib import Path
from typing import Any

from packaging.requirements import Requirement

from emblar import __version__

ROOT = Path(__file__).parents[1]
FOLDER = ROOT / "docs" / "licences"
VENDOR = ROOT / "emblar" / "web" / "static" / "vendor"
SHIPPED = re.compile(r"(?P<name>\S+) (?P<version>[\d.]+) .*, (?P<licence>\S+)$")


def needed() -> set[str]:
    """Return the names of all that Emblar needs to run here."""
    project = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))
    todo = [(Requirement(text), frozenset[str]()) for text in project["project"]["dependencies"]]
    result: set[str] = set()
    seen = set()
    while todo:
        need, extras = todo.pop()
        if need.marker is not None and not any(
            need.marker.evaluate({"extra": extra}) for extra in (extras or {""})
        ):
            continue
        result.add(plain(need.name))
        key = plain(need.name), frozenset(need.extras)
        if key not in seen:
            seen.add(key)
            more = metadata.requires(need.name) or ()
            todo += [(Requirement(text), key[1]) for text in more]
    return result


def plain(name: str) -> str:
    """Return a package's name as it is compared."""
    return re.sub(r"[-_.]+", "-", name).lower()


def shipped() -> list[dict[str, Any]]:
    """Return what is shipped with the pages as components."""
    rows = []
    for line in (VENDOR / "VERSIONS.txt").read_text(encoding="utf-8").splitlines():
        known = SHIPPED.match(line)
        if known is None:
            sys.exit(f"VERSIONS.txt: “{line}” is no name, version and licence.")
        purl = f"pkg:npm/{known['name'].replace('@', '%40')}@{known['version']}"
        rows.append(
            {
                "type": "library",
                "name": known["name"],
                "version": known["version"],
                "purl": purl,
                "bom-ref": purl,
                "licenses": [{"license": {"id": known["licence"]}}],
            }
        )
    return rows


def bill() -> dict[str, Any]:
    """Return the bill of materials."""
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "all.json"
        subprocess.run(
            [
                sys.executable,
                "-m",
                "cyclonedx_py",
                "environment",
                "--output-reproducible",
                "--of",
                "JSON",
                "-o",
                str(out),
                sys.executable,
            ],
            check=True,
        )
        result = json.loads(out.read_text(encoding="utf-8"))
    names = needed()
    rows = [row for row in result["components"] if plain(row["name"]) in names]
    missing = names - {plain(row["name"]) for row in rows}
    if missing:
        sys.exit(f"Not installed: {', '.join(sorted(missing))}.")
    for row in rows:
        # Where it was fetched from is of this machine alone.
        row.pop("externalReferences", None)
        row.pop("properties", None)
    parts = sorted([*rows, *shipped()], key=lambda row: row["name"].lower())
    refs = {row["bom-ref"] for row in parts}
    edges = [
        {**edge, "dependsOn": [ref for ref in edge.get("dependsOn", ()) if ref in refs]}
        for edge in result.get("dependencies", ())
        if edge["ref"] in refs
    ]
    return {
        "bomFormat": "CycloneDX",
        "specVersion": result["specVersion"],
        "version": 1,
        "metadata": {
            "component": {
                "type": "application",
                "name": "emblar",
                "bom-ref": "emblar",
                "version": __version__,
            }
        },
        "components": parts,
        "dependencies": edges,
    }


def licence(row: dict[str, Any]) -> str:
    """Return a component's licence in a word."""
    known = []
    for entry in row.get("licenses", ()):
        one = entry.get("license", {})
        text = entry.get("expression") or one.get("id") or one.get("name") or ""
        known.append(text.removeprefix("License :: OSI Approved :: ").splitlines()[0][:60])
    members = [text for text in known if text and text != "declared license file"]
    return ", ".join(dict.fromkeys(members)) or "see its own licence file"


def main() -> None:
    """Write both."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    result = bill()
    text = json.dumps(result, indent=1, ensure_ascii=False) + "\n"
    (FOLDER / "sbom.cdx.json").write_text(text, encoding="utf-8")
    lines = [
        "# Licences",
        "",
        "What runs Emblar beside its own code, each by its licence; the texts of what is shipped "
        "with the pages lie beside it in `emblar/web/static/vendor`. `make supply` writes this "
        "page and `sbom.cdx.json`, a CycloneDX bill of materials.",
        "",
        "PostgreSQL, Chromium (for tests) and Pango come from Debian under its terms.",
        "",
        "| Part | Version | Licence |",
        "| --- | --- | --- |",
    ]
    lines += [f"| {r['name']} | {r['version']} | {licence(r)} |" for r in result["components"]]
    (FOLDER / "README.md").write_text("\n".join(lines) + "\n", encoding="utf-8")
    print(f"{len(result['components'])} parts in docs/licences")


if __name__ == "__main__":
    main()
