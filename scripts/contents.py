"""What is in a release: each package with its version and licence, and the digest of its file.

``python scripts/contents.py FOLDER``: the wheels in it, and the front-end packages that the screens are built from.
"""

import hashlib
import json
import sys
import zipfile
from collections.abc import Iterator
from email.parser import Parser
from pathlib import Path

FRONT = Path(__file__).parents[1] / "frontend"


def licence_of(metadata: str) -> str:
    """The SPDX expression, else what the older fields say (core metadata of the Python packaging guide)."""
    told = Parser().parsestr(metadata)
    if told["License-Expression"]:
        return str(told["License-Expression"])
    classified = [
        line.rsplit(" :: ", 1)[-1] for line in told.get_all("Classifier", []) if line.startswith("License :: ")
    ]
    first_line = str(told["License"] or "").strip().split("\n")[0][:60]
    return ", ".join(classified) or first_line or "see its file"


def wheels(folder: Path) -> Iterator[str]:
    for wheel in sorted(folder.glob("*.whl")):
        with zipfile.ZipFile(wheel) as packed:
            name = next(name for name in packed.namelist() if name.endswith(".dist-info/METADATA"))
            metadata = packed.read(name).decode("utf-8", "replace")
        digest = hashlib.sha256(wheel.read_bytes()).hexdigest()
        yield f"{wheel.name}\n  licence: {licence_of(metadata)}\n  sha256: {digest}"


def front_end() -> Iterator[str]:
    """All that is installed to run, from which the screens take their parts."""
    locked = json.loads((FRONT / "package-lock.json").read_text("utf-8"))["packages"]
    for path, package in sorted(locked.items()):
        if path and not package.get("dev"):
            name = path.rsplit("node_modules/", 1)[-1]
            yield f"{name} {package.get('version', '')}\n  licence: {package.get('license', 'see its file')}"


def main() -> None:
    print("Python packages, one file each\n")
    print("\n".join(wheels(Path(sys.argv[1]))))
    print("\nFront-end packages, built into the screens\n")
    print("\n".join(front_end()))


if __name__ == "__main__":
    main()
