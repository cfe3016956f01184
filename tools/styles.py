"""Builds the stylesheet, or checks without Node that the committed one is current.

The check compares a digest of everything the stylesheet is made from with the one kept
beside it at the last build.
"""

from __future__ import annotations

import argparse
import hashlib
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "mirvo/web/styles.css"
BUILT = ROOT / "mirvo/web/static/css/mirvo.css"
STAMP = ROOT / "mirvo/web/static/css/mirvo.css.inputs"


def inputs_digest() -> str:
    """Digest of the source, the pages that use it, and the built file itself."""
    files = [
        SOURCE,
        BUILT,
        ROOT / "package-lock.json",
        *sorted((ROOT / "mirvo/web/templates").rglob("*.html")),
        *sorted((ROOT / "mirvo/web/static/js").rglob("*.js")),
    ]
    digest = hashlib.sha256()
    for path in files:
        digest.update(path.relative_to(ROOT).as_posix().encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()


def build() -> None:
    command = ["npx", "@tailwindcss/cli", "-i", str(SOURCE), "-o", str(BUILT), "--minify"]
    subprocess.run(command, cwd=ROOT, check=True)
    STAMP.write_text(inputs_digest() + "\n", "utf-8")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--build", action="store_true")
    parser.add_argument("--check", action="store_true")
    if parser.parse_args().build:
        build()
    elif STAMP.read_text("utf-8").strip() != inputs_digest():
        sys.exit("The stylesheet is not current: run 'make styles' and commit it.")


if __name__ == "__main__":
    main()
