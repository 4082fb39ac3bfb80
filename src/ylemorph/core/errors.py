"""Errors of the core. Each carries the place (a dotted path), what is wrong and how to mend it."""

from .plain import plain_line


class YlemorphError(ValueError):
    """What cannot be used, said in one sentence: ``problem`` (what), ``at`` (where), ``mend`` (how)."""

    def __init__(self, problem: str, *, at: str = "", mend: str = "") -> None:
        self.problem = plain_line(" ".join(problem.splitlines()))  # what somebody pasted may hold anything
        self.at = at
        self.mend = mend
        super().__init__(self.sentence())

    def sentence(self) -> str:
        where = f"{self.at}: " if self.at else ""
        mend = f"; {self.mend}" if self.mend else ""
        return f"{where}{self.problem}{mend}"

    def under(self, prefix: str) -> "YlemorphError":
        """The same error with ``prefix`` put before its place."""
        at = f"{prefix}.{self.at}" if self.at and not self.at.startswith("[") else prefix + self.at
        return type(self)(self.problem, at=at, mend=self.mend)


class BadSize(YlemorphError):
    """A size that cannot be read (rule 1.1)."""


class BadSurvey(YlemorphError):
    """A survey that contradicts itself or the table it claims to have."""


class BadSteps(YlemorphError):
    """Steps that cannot be rehearsed: a field is missing, or names what is not there."""


class BadPlan(YlemorphError):
    """A plan's file that a finished disk cannot be compared with."""


class BadOption(YlemorphError):
    """An option that names a row that is not there, or that contradicts another option."""


class OutOfBounds(YlemorphError):
    """A size set by hand that is under the row's hard floor or over its ceiling (rule 6)."""

    def __init__(self, problem: str, *, at: str = "", mend: str = "", bound_bytes: int | None = None) -> None:
        super().__init__(problem, at=at, mend=mend)
        self.bound_bytes = bound_bytes

    def under(self, prefix: str) -> "OutOfBounds":
        moved = super().under(prefix)
        return OutOfBounds(moved.problem, at=moved.at, mend=moved.mend, bound_bytes=self.bound_bytes)
