"""A list of what need not go over, as typed or as ``du`` writes it (rule 5.1)."""

import re

from ...core.disk.model import Lightened
from ...core.errors import BadSurvey
from ...core.sizes import Bytes
from .typed_rows import comma_is_decimal, read_number

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
    read = [(number, *_parts(number, line)) for number, line in enumerate(lines, 1) if line.strip()]
    comma = comma_is_decimal(size for _, _, size in read)
    return tuple(
        Lightened(name.strip()[:400], Bytes(read_number(size, f"lightened, line {number}", "b", comma=comma)))
        for number, name, size in read
    )


def _parts(number: int, line: str) -> tuple[str, str]:
    """The name and the size of a line. Raises BadSurvey where there is no size."""
    first, du, last = _SIZE_FIRST.match(line), _DU_LINE.match(line), _SIZE_LAST.match(line)
    if first:
        return first[2], first[1]
    if du:
        return du[2], du[1]
    if last:
        return last[1], last[2]
    raise BadSurvey(
        f"“{line.strip()[:40]}” has no size", at=f"lightened, line {number}", mend="write: old videos 38 GiB"
    )
