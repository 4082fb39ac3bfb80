"""What of a start is otherwise than planned (rules 7.3 and 14): code, named places, identities of rows."""

from collections.abc import Iterator

from ..disk.model import Disk, Partition, StartCode
from ..disk.starting import finds_all
from .differences import Difference
from .planned import Planned, PlannedRow


def start_differences(planned: Planned, found: Disk) -> Iterator[Difference]:
    """Of start data and of the code before the first row. What was not read, and what lies behind the code, is no
    difference."""
    if not finds_all(found, planned.source.table_id):
        yield Difference("start-data", None)
    wanted, code = planned.start, found.start_code
    if wanted is None or code is None or _reaches_further(wanted, code):
        return
    if not code.sectors:
        yield Difference("code-lost", None, (), {"sectors": wanted.sectors}, {"sectors": 0})
    elif wanted.loader_lba is None:
        if code.sha256 != wanted.sha256:
            yield _off(wanted, code)
    elif code.loader_lba != wanted.loader_lba:
        both = ({"loader_lba": wanted.loader_lba}, {"loader_lba": code.loader_lba})
        yield Difference("loader-off", None, (wanted.loader_lba,), *both)
    elif code.rest_sha256 != wanted.rest_sha256:
        yield _off(wanted, code)


def _off(wanted: StartCode, code: StartCode) -> Difference:
    both = ({"sectors": wanted.sectors, "sha256": wanted.sha256}, {"sectors": code.sectors, "sha256": code.sha256})
    return Difference("code-off", None, (), *both)


def _reaches_further(wanted: StartCode, code: StartCode) -> bool:
    """Something stands behind the code, left there by whatever the disk was before: the sum is over another stretch."""
    return code.sectors > wanted.sectors


def code_unknown(planned: Planned, found: Disk) -> Iterator[str]:
    wanted, code = planned.start, found.start_code
    if wanted is None:
        return
    if code is None:
        yield "Whether the code that starts the machine went over is not known: read the disk itself to compare that."
    elif _reaches_further(wanted, code):
        yield "The code before the first row was not compared: something else stands behind it."


def row_start_differences(planned: Planned, row: PlannedRow, partition: Partition) -> Iterator[Difference]:
    """Of one row: its own identity, and the place that its boot sector names."""
    if row.uuid and partition.uuid:
        equal, keeps = row.uuid.upper() == partition.uuid.upper(), planned.identity == "keep"
        both = ({"uuid": row.uuid}, {"uuid": partition.uuid})
        if equal and not keeps:
            yield Difference("row-identity-equal", row.number, (row.name, partition.uuid), *both)
        elif keeps and not equal:
            yield Difference("row-identity-lost", row.number, (row.name, partition.uuid, row.uuid), *both)
    fs, start = partition.filesystem, partition.first_lba
    if fs is None or not row.names_start:
        return
    if fs.named_start_lba not in (None, start):
        named = fs.named_start_lba
        yield Difference("start-named-off", row.number, (row.name, named, start), {"lba": start}, {"lba": named})
    elif fs.copy_named_start_lba not in (None, start):
        named = fs.copy_named_start_lba
        yield Difference("copy-named-off", row.number, (row.name, named, start), {"lba": start}, {"lba": named})
