#!/usr/bin/env python3
"""Fetch the pinned front-end packages with npm and copy what the application ships into its vendor folder.

Reads gumshoe/web/ui/static/vendor/manifest.toml (name, version, licence, files), replaces each package's folder, and
fails when a named file is not in the package. Needs npm; only whoever refreshes the vendor folder runs this.
"""

from __future__ import annotations

import shutil
import subprocess
import sys
import tarfile
import tempfile
import tomllib
from pathlib import Path

VENDOR = Path(__file__).resolve().parent.parent / "gumshoe" / "web" / "ui" / "static" / "vendor"


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
            target = VENDOR / package["folder"]
            shutil.rmtree(target, ignore_errors=True)
            target.mkdir(parents=True)
            for name in package["files"]:
                source = Path(folder) / "package" / name
                if not source.is_file():
                    print(f"{package['name']}: no file {name}", file=sys.stderr)
                    return 1
                shutil.copyfile(source, target / source.name)
        print(f"{package['name']} {package['version']} ({package['licence']})")
    return 0


if __name__ == "__main__":
    sys.exit(main())
