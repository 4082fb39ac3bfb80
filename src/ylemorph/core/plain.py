"""Text from disks and people made harmless: no control characters, no lone surrogates, no change of direction.

A label may hold anything; what it holds must not steer a terminal, break a script or a picture, or read differently
from what it is.
"""

import re

# Control characters of both sets, line and paragraph separators, marks that change the direction, lone surrogates.
_HARMFUL = re.compile(
    r"[\x00-\x1f\x7f-\x9f\u2028\u2029\u200e\u200f\u202a-\u202e\u2066-\u2069\ud800-\udfff\ufffe\uffff]"
)


def plain_line(text: str) -> str:
    """``text`` in one line, each harmful character as the sign for a character that cannot be shown."""
    return _HARMFUL.sub("\N{REPLACEMENT CHARACTER}", text)


def sentence_case(text: str) -> str:
    """With a capital at its beginning."""
    return text[:1].upper() + text[1:]
