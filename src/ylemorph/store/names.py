"""Names of people: one form under which they are found, and none that passes for another one."""

import unicodedata
from collections.abc import Iterable

from ..core.errors import BadOption

# Letters of other alphabets that look like Latin ones (Unicode's table of confusables, from memory; the plain ones).
_CYRILLIC = dict(zip("аеорсухкіјѕһԁԛԝвмнтгзбп", "aeopcyxkijshdqwbmhtr36n", strict=True))
_GREEK = dict(zip("αορντυχικεγωηβμζ", "aopvtuxikeywnbuz", strict=True))
LOOK_ALIKE = str.maketrans(_CYRILLIC | _GREEK | {"0": "o", "1": "l", "ı": "i"})
HIDDEN = ("Cc", "Cf", "Cn", "Co", "Cs", "Zl", "Zp")  # categories of signs that one does not see


def key_of(name: str) -> str:
    """The form under which a name is looked up, counted and compared."""
    folded = unicodedata.normalize("NFKC", name).strip().casefold()
    return " ".join(unicodedata.normalize("NFKC", folded).split())


def looks_of(name: str) -> str:
    """What a name looks like: two with the same looks are taken for each other."""
    plain = unicodedata.normalize("NFKD", key_of(name)).translate(LOOK_ALIKE)
    return "".join(sign for sign in plain if not unicodedata.combining(sign) and sign.isalnum())


def _alphabets(name: str) -> set[str]:
    letters = (sign for sign in unicodedata.normalize("NFKC", name) if sign.isalpha())
    return {unicodedata.name(sign, "UNKNOWN").split(" ", 1)[0] for sign in letters} & {"LATIN", "CYRILLIC", "GREEK"}


def check_name(text: str, others: Iterable[str]) -> str:
    """The name as it is kept. Raises BadOption for one with hidden signs, of several alphabets, or like another one."""
    if any(unicodedata.category(sign) in HIDDEN for sign in text.strip()):
        raise BadOption("there are signs in the name that one does not see", at="name", mend="type it anew")
    name = " ".join(unicodedata.normalize("NFKC", text).split())
    if not 1 <= len(name) <= 80 or not looks_of(name):
        raise BadOption("a name has 1 to 80 characters, a letter or a figure among them", at="name", mend="type one")
    if len(_alphabets(name)) > 1:
        raise BadOption("the name mixes letters of several alphabets", at="name", mend="write it in one of them")
    for other in others:
        if key_of(other) == key_of(name):
            raise BadOption(f"there is a “{other}” already", at="name", mend="choose another name")
        if looks_of(other) == looks_of(name):
            raise BadOption(f"it is taken for “{other}”", at="name", mend="choose another name")
    return name
