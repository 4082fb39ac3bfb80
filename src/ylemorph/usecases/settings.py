"""The workshop's defaults: what a new job begins with."""

import contextlib
import sqlite3
from collections.abc import Mapping

from ..core.disk.usual_sizes import nominal_disk
from ..core.errors import YlemorphError
from ..core.fit.frame import frame_of
from ..core.fit.options import OPTIONS, WORKSHOP_KEYS, Options
from ..core.sizes import GB
from ..formats.own.options import options_from, options_to_data
from ..store import settings
from ..store.settings import read

__all__ = ["job_defaults", "options_for_any_pair", "read", "write"]


def write(connection: sqlite3.Connection, sent: Mapping[str, str | None]) -> None:
    """Set some, as typed; an empty text takes one back to how the application comes. Raises BadOption or BadSize."""
    values = {key: value.strip() or None if isinstance(value, str) else value for key, value in sent.items()}
    job = {key: values[key] for key in WORKSHOP_KEYS if values.get(key) is not None}
    try:
        read_back = options_to_data(options_for_any_pair(job))
    except YlemorphError as error:
        raise type(error)(error.problem, at=error.at.removeprefix("options."), mend=error.mend) from None
    settings.write(connection, {key: read_back.get(key) if key in WORKSHOP_KEYS else values[key] for key in values})


def options_for_any_pair(data: Mapping[str, object], defaults: Options | None = None) -> Options:
    """Options as a job would read them on any pair of disks: what no job could follow is refused here.

    With ``defaults`` these stand for what is not given.
    """
    usual = nominal_disk(1000 * GB)
    made = options_from(data, usual, usual)
    if defaults is not None:
        for key, kind in OPTIONS.items():
            if key not in data:
                made = kind.put(made, kind.of(defaults))
    frame_of(usual, "gpt", made)
    return made


def job_defaults(connection: sqlite3.Connection) -> Options:
    """The options that a new job begins with; a default that cannot be read any more is left out."""
    kept = settings.read(connection)
    options = Options()
    for key in WORKSHOP_KEYS:
        if key in kept:
            with contextlib.suppress(YlemorphError):
                options = OPTIONS[key].put(options, OPTIONS[key].of(options_from({key: kept[key]})))
    return options
