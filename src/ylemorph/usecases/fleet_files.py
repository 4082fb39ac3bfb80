"""Many machines from files, each against several disks under several fits, on all cores."""

from collections.abc import Callable, Iterable, Iterator
from functools import partial
from importlib import import_module
from pathlib import Path

from ..core.buy.assess import assess
from ..core.buy.fleet import Read, Trouble
from ..core.errors import YlemorphError
from ..formats.listings.fleet_read import Found, archive_items, is_archive, paths_under, read_item, read_path
from ..formats.own.fleet import WRITERS, cells_of
from ..opening import open_regular, read_most
from .disks import is_image
from .fleet_work import Against
from .processes import pool

TOGETHER = 16  # files that a process gets at a time
Task = str | tuple[str, bytes] | Trouble  # a path, a file of an archive, or why there is none


def assess_files(
    paths: Iterable[str], work: Against, form: str, processes: int, noted: Callable[[str], None]
) -> Iterator[Read | Trouble]:
    """Every machine in the order of the files, whatever process had it; ``noted`` hears of each path that is read."""
    assess_one = partial(_assess, work=work, form=form)
    tasks = _tasks(paths, noted)
    if processes == 1:
        for task in tasks:
            yield from assess_one(task)
        return
    for module in ("formats.listings.reading", "formats.own.survey", "probe.disks"):
        import_module(f"..{module}", __package__)  # once, before the processes part
    with pool(processes, fresh=False) as workers:
        for found in workers.map(assess_one, tasks, chunksize=TOGETHER):
            yield from found


def _tasks(paths: Iterable[str], noted: Callable[[str], None]) -> Iterator[Task]:
    """Paths as they are; an archive's files one by one, so that all processes get some."""
    for path in paths_under(list(paths)):
        if isinstance(path, str):
            noted(path)
        if isinstance(path, str) and _is_archive(path):
            with open_regular(path) as file:
                for name, data in archive_items(path, file):
                    yield (name, data) if isinstance(data, bytes) else data
        else:
            yield path


def _is_archive(path: str) -> bool:
    try:
        with open_regular(path) as file:
            return is_archive(read_most(file, 4))
    except OSError:
        return False


def _assess(task: Task, work: Against, form: str) -> list[Read | Trouble]:
    made: list[Read | Trouble] = []
    names = [target.name for target in work.targets]
    for found in _found(task):
        if isinstance(found, Trouble):
            made.append(found)
            continue
        try:
            made.append(_written(Read(found.name, found.origin, assess(found.survey, *work)), names, form))
        except YlemorphError as error:
            made.append(Trouble(found.name, error.sentence()))
    return made


def _written(read: Read, names: list[str], form: str) -> Read:
    """With its lines as text, where the form is made of such: less travels between processes than with values."""
    if form not in WRITERS:
        return read
    text = WRITERS[form](cells_of(read.name, read.assessed, names))
    return read._replace(assessed=read.assessed._replace(lines=()), written=text)


def _found(task: Task) -> Iterable[Found | Trouble]:
    if isinstance(task, Trouble):
        return [task]
    if not isinstance(task, str):
        return read_item(*task)
    if not is_image(task):
        return read_path(task)
    from ..probe.disks import survey_path

    try:
        return [Found(Path(task).stem, task, survey_path(task))]
    except YlemorphError as error:
        return [Trouble(task, error.sentence())]
