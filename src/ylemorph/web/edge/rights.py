"""Which role each address asks for where people sign in: one table, walked by a test over every route.

The first line that fits decides. ``None``: nobody has to be signed in.
"""

from typing import NamedTuple

from ...usecases.people import ROLES, PersonRole

READS, ANY = ("GET", "HEAD", "OPTIONS"), ()


class Right(NamedTuple):
    """Addresses that begin with ``path`` under one of ``methods`` (any unless given) ask for ``role``."""

    path: str
    role: PersonRole | None
    methods: tuple[str, ...] = ANY


# Answers to questions that are sent as a body; nothing is kept and no other window has to know.
ASKING = ("/api/plan", "/api/surveys/read", "/api/surveys/typed")
ASKING_LAST = ("preview",)

RIGHTS = (
    Right("/api/session/others", "look"),
    Right("/api/session/password", "look"),
    Right("/api/session", None),
    Right("/api/health", None, READS),
    Right("/api/openapi.json", None, READS),
    Right("/collect/", None),  # the code is what lets in
    Right("/api/here", "look"),
    *(Right(path, "look", ("POST",)) for path in ASKING),
    Right("/api/people", "workshop"),
    Right("/api/backups", "workshop"),
    Right("/api/jobs-file", "workshop", ("POST",)),
    Right("/api/data", "workshop"),
    Right("/api/disks", "workshop", ("POST",)),
    Right("/api/settings", "look", READS),
    Right("/api/settings", "workshop"),
    Right("/api/", "look", READS),
    Right("/api/", "bench"),
    Right("/", None, READS),  # the page itself and its parts
)


def needed_role(method: str, path: str) -> PersonRole | None:
    """The least role for a request; None where nobody has to be signed in."""
    if path.startswith("/api/jobs/") and path.rsplit("/", 1)[-1] in ASKING_LAST:
        return "look"
    for right in RIGHTS:
        if path.startswith(right.path) and (not right.methods or method in right.methods):
            return right.role
    return "workshop"


def may(role: PersonRole, needed: PersonRole) -> bool:
    return ROLES.index(role) >= ROLES.index(needed)


def changes_data(method: str, path: str) -> bool:
    """Whether a request that went well leaves something otherwise than it was."""
    asking = path.startswith(ASKING) or path.rsplit("/", 1)[-1] in (*ASKING_LAST, "here")
    return method not in READS and not asking
