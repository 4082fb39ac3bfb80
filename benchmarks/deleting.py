"""A fleet of 19,000 machines is deleted while somebody else changes a job: what that one's changes take, in those of
before."""

import tempfile
import threading
import time
from contextlib import closing
from pathlib import Path

from ylemorph.core.buy.shelf import ShelfDisk
from ylemorph.core.disk.model import Survey
from ylemorph.core.disk.usual_sizes import nominal_disk
from ylemorph.core.fit.options import Options
from ylemorph.core.job.disk_changes import Describe
from ylemorph.core.sizes import GB
from ylemorph.demo.scenario import sample_job
from ylemorph.formats.listings.fleet_read import Found
from ylemorph.store import fleets, jobs
from ylemorph.store.database import connect
from ylemorph.store.preparing import prepare
from ylemorph.usecases.fleet_work import Against, work_out
from ylemorph.usecases.jobs import change
from ylemorph.usecases.workshop import Work

MACHINES = 19_000


def filled(path: Path) -> int:
    """A fleet with its lines worked out; every machine the same, which costs deleting nothing less."""
    targets = (ShelfDisk("x", nominal_disk(480 * GB)), ShelfDisk("y", nominal_disk(240 * GB)))
    wishes = fleets.Wishes(targets, ("snug", "proportional"), Options())
    source = sample_job().source
    assert source is not None
    with closing(connect(path)) as connection:
        fleet = fleets.create(connection, "Many", wishes)
        disks = (source.disk.but(serial=f"S{number // 2}") for number in range(MACHINES))
        fleets.add(
            connection,
            fleet,
            (Found(f"m{n}", f"m{n}", Survey(disk, source.taken)) for n, disk in enumerate(disks)),
        )
        made = work_out(fleets.waiting(connection, fleet, 1), Against(wishes.names, wishes.fits, wishes.options))[0][1]
        numbers = [row[0] for row in connection.execute("SELECT id FROM fleet_machine")]
        fleets.put(connection, fleet, 1, [(number, made) for number in numbers])
    return fleet


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = prepare(Path(folder))
        fleet = filled(path)
        with closing(connect(path)) as connection:
            job = jobs.create(connection, sample_job()).id
            taken: list[float] = []
            ended = threading.Event()

            def write() -> None:
                with closing(connect(path)) as own:
                    while not ended.is_set():
                        begun = time.monotonic()
                        change(Work(None, own), job, None, lambda _state: Describe(note=str(len(taken))))
                        taken.append(time.monotonic() - begun)
                        time.sleep(0.01)

            writer = threading.Thread(target=write)
            writer.start()
            time.sleep(2)
            usual = sorted(taken)[len(taken) // 2]
            taken.clear()
            begun = time.monotonic()
            fleets.delete(connection, fleet)
            seconds = time.monotonic() - begun
            ended.set()
            writer.join()
        taken.sort()
        print(
            f"{MACHINES} machines deleted in {seconds:.1f} s; {len(taken)} changes of others meanwhile: median "
            f"x{taken[len(taken) // 2] / usual:.1f} of before, longest {taken[-1] * 1000:.0f} ms"
        )


if __name__ == "__main__":
    main()
