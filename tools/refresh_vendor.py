#!/usr/bin/env python3
"""Fetch the pinned front-end packages with npm and copy what the application ships into its vendor folder.

Reads gumshoe/web/ui/static/vendor/manifest.toml (name, version, licence, files), replaces each package's folder (below
``into``, where it is not the vendor folder), and fails when a named file is not in the package. Where a package brings
no licence text, ``notice`` names whose it is and the text of the MIT licence is written. Needs npm; only whoever
refreshes the vendor folder runs this.
"""

from __future__ import annotations

import shutil
import subprocess
import sys
import tarfile
import tempfile
import tomllib
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VENDOR = ROOT / "gumshoe" / "web" / "ui" / "static" / "vendor"


def main() -> int:
    """Refresh every package of the manifest."""
    manifest = tomllib.loads((VENDOR / "manifest.toml").read_text(encoding="utf-8"))
    for package in manifest["package"]:
        with tempfile.TemporaryDirectory() as folder:
            subprocess.run(
                ["npm", "pack", "--silent", f"{package['name']}@{package['version']}"],
                cwd=folder,
                check=True,
                stdout=subprocess.DEVNULL,
            )
            archive = next(Path(folder).glob("*.tgz"))
            with tarfile.open(archive) as tar:
                tar.extractall(folder, filter="data")
            target = (ROOT / package["into"] if "into" in package else VENDOR) / package["folder"]
            shutil.rmtree(target, ignore_errors=True)
            target.mkdir(parents=True)
            for name in package["files"]:
                source = Path(folder) / "package" / name
                if not source.is_file():
                    print(f"{package['name']}: no file {name}", file=sys.stderr)
                    return 1
                shutil.copyfile(source, target / source.name)
            if "notice" in package:
                (target / "LICENSE").write_text(mit(package["notice"]), encoding="utf-8")
        print(f"{package['name']} {package['version']} ({package['licence']})")
    return 0


def mit(notice: list[str]) -> str:
    """The MIT licence, as this project's own, in the name of others."""
    text = (ROOT / "LICENSE").read_text(encoding="utf-8")
    own = next(line for line in text.splitlines() if line.startswith("Copyright"))
    return text.replace(own, "\n".join(notice))


if __name__ == "__main__":
    sys.exit(main())
