"""Who may sign in, and who is signed in: the store's own operations are the use cases."""

from ..store.names import key_of
from ..store.passwords import MOST_PASSWORD
from ..store.people import (
    MOST_SECONDS,
    ROLES,
    Person,
    PersonRole,
    Session,
    SignedIn,
    add,
    by_name,
    change,
    everyone,
    get,
    is_password,
    knows_device,
    remove,
    session_by_digest,
    session_of,
    sign_in,
    sign_out,
)

__all__ = [
    "MOST_PASSWORD", "MOST_SECONDS", "ROLES", "Person", "PersonRole", "Session", "SignedIn", "add", "by_name", "change",
    "everyone", "get", "is_password", "key_of", "knows_device", "remove", "session_by_digest", "session_of", "sign_in",
    "sign_out",
]  # fmt: skip
