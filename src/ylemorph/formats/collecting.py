"""The scripts that list a customer's disks and send the list, and the one line that fetches each.

The one for Linux calls lsblk (util-linux). The one for Windows is written against Microsoft's documentation of its
storage cmdlets and of Invoke-RestMethod, from memory; it was not run on Windows.
"""

from importlib import resources
from typing import Literal, NamedTuple

System = Literal["linux", "windows"]


class Script(NamedTuple):
    """A system's script: its file, the kind of content, and the line that fetches and runs it from ``url``."""

    file: str
    where: str
    line: str

    @property
    def name(self) -> str:
        return f"ylemorph-disks.{self.file.rsplit('.', 1)[-1]}"


SCRIPTS: dict[System, Script] = {
    "windows": Script("windows.ps1", "Windows, PowerShell as administrator", "irm {url}.ps1 | iex"),
    "linux": Script("linux.sh", "Linux, in a terminal", "curl -fsS {url} | sh"),
}


def script_text(system: System, server: str = "", code: str = "") -> str:
    """The script that sends to ``server`` under ``code``; without a server it writes a file beside itself."""
    text = (resources.files(__package__) / "collect" / SCRIPTS[system].file).read_text(encoding="utf-8")
    return text.replace("@SERVER@", server).replace("@CODE@", code)


def command_line(system: System, server: str, code: str) -> str:
    return SCRIPTS[system].line.format(url=f"{server}/collect/{code}")
