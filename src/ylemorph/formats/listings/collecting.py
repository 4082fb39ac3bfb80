"""The scripts that list a customer's disks and send the list, and the one line that fetches each.

The one for Linux calls lsblk (util-linux), and as root what the file systems' own utilities, LVM and smartctl say. The
one for Windows is written against Microsoft's documentation of its storage cmdlets and of Invoke-RestMethod, and calls
the curl.exe that Windows 10 and later ship where the server is encrypted by a key of its own; from memory, it was not
run on Windows.
"""

from importlib import resources
from typing import Literal, NamedTuple

System = Literal["linux", "windows"]


class Script(NamedTuple):
    """A system's script: its file, where it runs, and the line that fetches and runs it from ``url``.

    ``pinned``: the same line for an encrypted server that no authority vouches for: its key has the digest ``pin``.
    """

    file: str
    where: str
    line: str
    pinned: str

    @property
    def name(self) -> str:
        return f"ylemorph-disks.{self.file.rsplit('.', 1)[-1]}"


SCRIPTS: dict[System, Script] = {
    "windows": Script(
        "windows.ps1",
        "Windows, PowerShell as administrator",
        "irm {url}.ps1 | iex",
        'curl.exe -fsSk --pinnedpubkey "sha256//{pin}" {url}.ps1 | Out-String | iex',
    ),
    "linux": Script(
        "linux.sh",
        "Linux, in a terminal",
        "curl -fsS {url} | sh",
        "curl -fsSk --pinnedpubkey 'sha256//{pin}' {url} | sh",
    ),
}


def script_text(system: System, server: str = "", code: str = "", pin: str = "") -> str:
    """The script that sends to ``server`` under ``code``; without a server it writes a file beside itself.

    With ``pin`` it sends to nobody whose key has another digest.
    """
    text = (resources.files(__package__) / "collect" / SCRIPTS[system].file).read_text(encoding="utf-8")
    return text.replace("@SERVER@", server).replace("@CODE@", code).replace("@PIN@", pin)


def command_line(system: System, server: str, code: str, pin: str = "") -> str:
    script = SCRIPTS[system]
    return (script.pinned if pin else script.line).format(url=f"{server}/collect/{code}", pin=pin)
