"""A list of what need not go over, as typed or as ``du`` writes it (rule 5.1)."""

import re

from ...core.disk.model import Lightened
from ...core.errors import BadSurvey
from ...core.sizes import Bytes
from .typed_rows import read_number

MOST_LINES = 10_000
# ``du -b`` writes bytes, a tab and the path; a person writes the size with a unit before or after the name.
_DU_LINE = re.compile(r"^\s*(\d+)\s+(\S.*)$")
_SIZE_FIRST = re.compile(r"^\s*([\d.,]+\s*[KMGTP](?:i?B)?)\s+(\S.*)$", re.IGNORECASE)
_SIZE_LAST = re.compile(r"^\s*(\S.*?)[\s:=]+([\d.,]+\s*[KMGTP]?(?:i?B)?)\s*$", re.IGNORECASE)


def read_lightened(text: str) -> tuple[Lightened, ...]:
    """Names and sizes; ``du``'s lines in bytes, or with a unit before or after the name. Raises BadSurvey by line."""
    lines = text.splitlines()
    if len(lines) > MOST_LINES:
        raise BadSurvey(f"{len(lines)} lines are too many", at="lightened", mend="list folders rather than files")
    found = []
    for number, line in enumerate(lines, 1):
        if not line.strip():
            continue
        first, du, last = _SIZE_FIRST.match(line), _DU_LINE.match(line), _SIZE_LAST.match(line)
        name, size = (
            (first[2], first[1]) if first else (du[2], du[1]) if du else (last[1], last[2]) if last else ("", "")
        )
        if not name:
            raise BadSurvey(
                f"“{line.strip()[:40]}” has no size", at=f"lightened, line {number}", mend="write: old videos 38 GiB"
            )
        value = read_number(size, f"lightened, line {number}", "b")
        found.append(Lightened(name.strip()[:400], Bytes(value)))
    return tuple(found)
