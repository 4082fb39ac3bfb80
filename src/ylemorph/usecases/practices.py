"""Jobs carried out on the bench for practice: one at a time for each job, in a thread, seen by every window."""

import time
from collections.abc import Callable
from contextlib import closing as shut
from pathlib import Path
from threading import Lock, Thread
from typing import Literal

from ..core.carry.sequence import Step
from ..core.errors import YlemorphError
from ..stand_ins.practice import Practice
from ..store import runs
from ..store.database import NotFound, connect

PracticeState = Literal["running", "done", "stopped", "failed"]
LEAST_WAIT = 0.05


class _Stopped(Exception):
    pass


class PracticeRun:
    """One practice: how far it is, and what came of it. ``pace``: seconds that all steps take together."""

    def __init__(self, job: int, practice: Practice, store: Path, pace: float) -> None:
        self.job, self.practice, self.store, self.pace = job, practice, store, pace
        self.state: PracticeState = "running"
        self.step, self.of = 0, len(practice.sequence.steps)
        self.trouble = ""
        self.stopping = False
        self.forgotten = False  # its job is no longer the one of that number

    def run(self) -> None:
        try:
            self.practice.run(self._begun, self._done)
            self.state = "done"
        except _Stopped:
            self.state = "stopped"
        except YlemorphError as error:
            self.trouble, self.state = error.sentence(), "failed"
        except Exception:
            self.trouble, self.state = "the practice broke off; see the log of the program", "failed"
            raise

    def _begun(self, number: int, _step: Step) -> None:
        """A lapse of time before each step; stopped here, between steps."""
        self.step = number
        end = time.monotonic() + self.pace / self.of
        while not self.stopping and time.monotonic() < end:
            time.sleep(min(LEAST_WAIT, self.pace))
        if self.stopping:
            raise _Stopped

    def _done(self, number: int, _step: Step) -> None:
        """The record goes along, unless somebody keeps it by hand meanwhile."""
        if self.forgotten:
            return
        with shut(connect(self.store)) as connection:
            run = runs.current(connection, self.job)
            if run is not None and run.ended_at is None and run.step == number and run.failure is None:
                runs.add(connection, self.job, number, "done")


class Practices:
    """The practices of this server, the last of each job."""

    def __init__(self) -> None:
        self._kept: dict[int, PracticeRun] = {}
        self._ending: list[PracticeRun] = []  # forgotten, and perhaps still at a step
        self._lock = Lock()

    def begin(self, practice: PracticeRun, keep_record: Callable[[], None]) -> None:
        """Reserve the job and the disk, then ``keep_record``, then go: what is refused leaves the record as it was.

        Raises YlemorphError where the same job, or the same disk, is at work already.
        """
        before = self._reserve(practice)
        try:
            keep_record()
        except BaseException:
            self._give_back(practice.job, before)
            raise
        Thread(target=practice.run, name=f"practice {practice.job}", daemon=True).start()

    def _reserve(self, practice: PracticeRun) -> PracticeRun | None:
        with self._lock:
            self._ending = [other for other in self._ending if other.state == "running"]
            for other in (*self._kept.values(), *self._ending):
                same = other.practice.image == practice.practice.image
                same = same or (other.job == practice.job and not other.forgotten)
                if other.state == "running" and same:
                    raise YlemorphError("the bench is at work on this already", mend="wait for it, or stop it")
            before = self._kept.get(practice.job)
            self._kept[practice.job] = practice
        return before

    def _give_back(self, job: int, before: PracticeRun | None) -> None:
        with self._lock:
            if before is None:
                self._kept.pop(job, None)
            else:
                self._kept[job] = before

    def get(self, job: int) -> PracticeRun | None:
        with self._lock:
            return self._kept.get(job)

    def forget(self) -> None:
        """Other data stand in the place of those to whose jobs they belong.

        What runs ends at its next step; until then it keeps its disk, and it writes into no record any more.
        """
        with self._lock:
            for practice in self._kept.values():
                practice.forgotten = practice.stopping = True
            self._ending += self._kept.values()
            self._kept.clear()

    def stop(self, job: int) -> PracticeRun:
        practice = self.get(job)
        if practice is None:
            raise NotFound("the bench is not at work on this job", mend="load the page again")
        practice.stopping = True
        return practice
