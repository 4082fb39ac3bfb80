"""The script's log comes home: dropped, given on the command line, or told line by line while the script is at work."""

from typing import NamedTuple

from ..core.carry.carrying import Carrying
from ..core.carry.sequence import WayKey
from ..core.carry.ways import sequence_of
from ..core.disk.model import Survey
from ..core.errors import BadOption, YlemorphError
from ..core.job.aftermath import Reason
from ..formats.own.run_log import LogLine, RunLog, read_log
from ..formats.own.steps import kept_steps
from ..store import closings, collecting, jobs, script_logs
from ..store.collecting import MINUTES, CollectGoal, WrongCode
from ..store.database import transaction
from ..store.script_logs import KeptLog, LoggedRun, LoggedStep
from .carrying import carrying_of
from .workshop import Work

__all__ = ["MINUTES", "Filled", "Progress", "WrongCode", "give_code", "progress_of", "take", "take_for_any", "told"]

MOST_TOLD_BYTES = 4_000_000  # of one run; the lines of progress are not kept
# What the script's words of a failure mean for the record.
REASON_SIGNS: tuple[tuple[str, Reason], ...] = (
    ("cannot be read", "read-error"),
    ("ends early", "read-error"),
    ("cannot be written", "no-room"),
    ("does not take what was written", "no-room"),
    ("that length", "would-not-shrink"),
    ("stopped", "stopped"),
)


class Filled(NamedTuple):
    """What a log filled: steps that are done, of how many; whether it failed, whether the finished disk came along;
    ``trouble``: where it could be read up to only."""

    job: int
    done: int
    of: int
    failed: bool
    found: bool
    trouble: str

    def sentence(self) -> str:
        parts = [f"{self.done} of {self.of} steps are done by the log"]
        if self.failed:
            parts.append("the next one failed")
        if self.found:
            parts.append("the finished disk came along with it")
        if self.trouble:
            parts.append(self.trouble)
        return ", ".join(parts) + "."


class Progress(NamedTuple):
    """How far the step is that a script is at."""

    step: int
    word: str
    bytes: int
    of: int
    seconds: int


def take(work: Work, job: int, text: str) -> Filled:
    """Fill a job's record from a whole log. Raises BadSurvey for what is no log, BadOption for that of another plan."""
    return _filled(work, job, read_log(text), None)[0]


def take_for_any(work: Work, text: str) -> Filled:
    """The same for the one open job whose plan it is. Raises BadOption where none or several are."""
    log = read_log(text)
    heads = [head.id for head in jobs.lines(work.connection) if not head.closed]
    found = [job for job in heads if _way_of(work, job, log.plan) is not None]
    if len(found) != 1:
        named = ", ".join(map(str, found))
        problem = f"jobs {named} have this plan" if found else "no open job has this plan"
        raise BadOption(problem, at="log", mend="name the job with --job" if found else "give the log of a job's plan")
    return _filled(work, found[0], log, None)[0]


def give_code(work: Work, job: int, made_by: str) -> str:
    """A code under which the script of a job may tell, once. Raises NotFound."""
    return collecting.give_code(work.connection, CollectGoal(job, None), made_by, "log")


def told(work: Work, code: str, first: int, body: str) -> int:
    """Take lines that a script tells; ``first`` of them were sent before. The job's number.

    Raises WrongCode, BadSurvey or BadOption; what is sent twice is taken once.
    """
    log = script_logs.told_under(work.connection, code)
    if log is None:
        goal = collecting.look_up(work.connection, code, "log")
        assert goal.job is not None
        _its_way(work, goal.job, read_log(body))  # a wrong log does not use the code up
        log = script_logs.begin(work.connection, goal.job, code, goal.made_by)
    if first > log.lines:
        raise BadOption(f"{first - log.lines} lines before these are missing", at="from", mend="send them first")
    lines = body.splitlines()[log.lines - first :]
    kept = [line for line in lines if '"event": "progress"' not in line]
    text = "".join(f"{line}\n" for line in [*log.text.splitlines(), *kept])
    if len(text) > MOST_TOLD_BYTES:
        raise BadOption("the log is longer than any run's", at="log", mend="drop its file on Carry out")
    last = lines[-1] if lines else ""
    log = log._replace(lines=log.lines + len(lines), text=text, progress=last if last not in kept else "")
    read = read_log(text)
    with transaction(work.connection):  # lines that come again are known exactly where they filled the record
        _, run = _filled(work, log.job, read, log.run)
        log = log._replace(run=run)
        script_logs.keep(work.connection, log)
        if read.lines[-1].event == "found":
            script_logs.over(work.connection, log)
    return log.job


def progress_of(work: Work, run: int) -> Progress | None:
    """How far the step under way is, where a script tells it."""
    log: KeptLog | None = script_logs.of_run(work.connection, run)
    if log is None or not log.progress:
        return None
    try:
        line = read_log(log.text + log.progress).under_way
    except YlemorphError:
        return None
    if line is None or line.step is None:
        return None
    return Progress(line.step, line.say, line.bytes, line.of, int(line.seconds))


def _way_of(work: Work, job: int, plan: str) -> tuple[Carrying, WayKey] | None:
    """A job's plan with the way whose sequence has this fingerprint; None where none has."""
    try:
        made = carrying_of(work.connection, job, jobs.get(work.connection, job).state, work.shop.bench)
        for way in made.ways:
            if way.steps and sequence_of(made.ground, way.key, way.steps).fingerprint == plan:
                return Carrying(made.ground, way.key, made.units), way.key
    except YlemorphError:
        return None
    return None


def _its_way(work: Work, job: int, log: RunLog) -> tuple[Carrying, WayKey]:
    """Raises NotFound, or BadOption for the log of another plan."""
    jobs.get(work.connection, job)
    found = _way_of(work, job, log.plan)
    if found is None:
        raise BadOption(
            "this is the log of another plan than the job's", at="log", mend="drop it on the job whose script it was"
        )
    return found


def _filled(work: Work, job: int, log: RunLog, run: int | None) -> tuple[Filled, int]:
    made, way = _its_way(work, job, log)
    steps = kept_steps(made, "binary")
    events = _events(log)
    ended = log.lines[-1].at if any(line.event in ("end", "found") for line in log.lines) else None
    logged = LoggedRun(way, made.ground.bench_kind, steps, log.lines[0].at, ended, events)
    number = script_logs.fill(work.connection, job, logged, run)
    if log.found is not None:
        _keep_finished(work, job, log.found)
    done = len({event.step for event in events if event.what == "done"})
    failed = bool(events) and events[-1].what == "failed"
    return Filled(job, done, len(steps), failed, log.found is not None, log.trouble), number


def _keep_finished(work: Work, job: int, survey: Survey) -> None:
    """The finished disk stands at Check back, once."""
    if all(one.survey.disk != survey.disk for one in closings.checks(work.connection, job)):
        closings.add_check(work.connection, job, survey)


def _events(log: RunLog) -> list[LoggedStep]:
    """Steps that are done, with their times, and the failure that ended it, if one did. A step that was gone on with
    took what all its parts took."""
    events: list[LoggedStep] = []
    failed: LogLine | None = None
    for line in log.lines:
        if line.event == "step":
            failed = None
        elif line.event == "done" and line.step is not None:
            events = [event for event in events if event.step < line.step]
            events.append(LoggedStep(line.step, "done", None, "", line.at, round(line.seconds)))
        elif line.event == "failed" and line.step is not None:
            failed = line
    if failed is not None and failed.step is not None:
        reason = next((reason for sign, reason in REASON_SIGNS if sign in failed.say), "program-error")
        events = [event for event in events if event.step < failed.step]
        events.append(LoggedStep(failed.step, "failed", reason, failed.say, failed.at, round(failed.seconds)))
    return events
