"""Bring the test images of the system's own file-system utilities into a cache folder, as Debian source packages.

    .venv/bin/python scripts/fetch_foreign.py ~/.cache/ylemorph-foreign

Asks apt with sources of its own, made from the machine's, so that nothing of the system's settings changes. What is
there already is not fetched again. Nothing of it is part of this project.
"""

import gzip
import lzma
import re
import shutil
import subprocess
import sys
from pathlib import Path

HOLE = 65_536
PACKAGES = ("util-linux", "e2fsprogs", "dosfstools", "exfatprogs")


def main(cache: Path) -> None:
    images = cache / "images"
    if (images / ".complete").exists():
        return
    download(cache)
    shutil.rmtree(images, ignore_errors=True)
    images.mkdir(parents=True)
    for archive in sorted(cache.glob("*.orig.tar.*")):
        if archive.suffix != ".asc":
            unpacked = cache / "source" / archive.name.split("_")[0]
            unpacked.mkdir(parents=True, exist_ok=True)
            subprocess.run(["tar", "-xf", archive, "-C", unpacked, "--strip-components=1"], check=True)
            count = sum(
                1 for path in sorted(unpacked.rglob("*")) if path.is_file() and image_from(path, unpacked, images)
            )
            print(f"{unpacked.name}: {count} images")
    (images / ".complete").touch()


def download(cache: Path) -> None:
    """The packages' original archives; a signature that the mirror lacks does not matter."""
    parts = cache / "sources"
    for folder in (parts, cache / "lists" / "partial", cache / "archives" / "partial"):
        folder.mkdir(parents=True, exist_ok=True)
    for place in (Path("/etc/apt/sources.list"), *Path("/etc/apt/sources.list.d").glob("debian*")):
        if place.exists():
            text = re.sub(r"^Types: deb$", "Types: deb-src", place.read_text(), flags=re.MULTILINE)
            (parts / place.name).write_text(re.sub(r"^deb ", "deb-src ", text, flags=re.MULTILINE))
    options = [
        "-o", "Dir::Etc::sourcelist=/dev/null", "-o", f"Dir::Etc::sourceparts={parts}",
        "-o", f"Dir::State::lists={cache / 'lists'}",
        "-o", f"Dir::Cache={cache}", "-o", "APT::Sandbox::User=root", "-qq",
    ]  # fmt: skip
    subprocess.run(["apt-get", *options, "update"], check=True)
    for package in PACKAGES:
        subprocess.run(["apt-get", *options, "source", "--download-only", package], cwd=cache, check=False)
        if not list(cache.glob(f"{package}_*.orig.tar.*")):
            raise SystemExit(f"{package}: the source package could not be fetched; is the network there?")


def image_from(path: Path, root: Path, images: Path) -> bool:
    """Unpack one file of a suite that is an image; False where it is none."""
    name = f"{root.name}--{'-'.join(path.relative_to(root).parts)}"
    if re.search(r"(\.img|/image[^/]*)\.gz$", str(path)):
        data = gzip.decompress(path.read_bytes())
    elif re.search(r"\.img\.xz$", str(path)):
        data = lzma.decompress(path.read_bytes())
    elif path.suffix == ".xxd":
        data = from_hex(path.read_text())
    else:
        return False
    with (images / name).open("wb") as file:  # with holes where there is nothing
        for at in range(0, len(data), HOLE):
            piece = data[at : at + HOLE]
            if any(piece):
                file.seek(at)
                file.write(piece)
        file.truncate(len(data))
    return True


def from_hex(text: str) -> bytes:
    """A hexadecimal listing with places; what is left out between two lines is zero."""
    data = bytearray()
    for line in text.splitlines():
        match = re.match(r"([0-9a-f]+): ((?:[0-9a-f]{2,4} ?)+)", line)
        if match:
            at, piece = int(match[1], 16), bytes.fromhex(match[2].replace(" ", ""))
            data.extend(bytes(max(0, at + len(piece) - len(data))))
            data[at : at + len(piece)] = piece
    return bytes(data)


if __name__ == "__main__":
    main(Path(sys.argv[1]).expanduser().resolve())
