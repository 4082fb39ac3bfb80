"""Change the code at random places, one at a time, and see whether the tests of its folder notice.

    python scripts/mutants.py [--count 200] [--seed 1] [--only PART-OF-A-PATH] [--processes 2]

A mutant is one change that a slip of the hand could make: a comparison flipped, a bound moved by one, a branch taken
always or never, a call left out, two operators exchanged; in the shell script a command left out or a test turned
round. What lives is printed as a line with its place. Of those some change nothing that anybody could see; the others
ask for a test. The exit code is 1 where fewer than nine of ten are killed.
"""

import argparse
import ast
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from itertools import count
from pathlib import Path
from queue import Queue
from typing import NamedTuple

ROOT = Path(__file__).resolve().parents[1]
SRC = ROOT / "src" / "ylemorph"
SECONDS = 240  # after which a mutant is held for one that never ends, which is noticed too
GOAL = 0.9

# What is changed, and the tests that must notice, the likeliest first. The first line that fits decides.
TESTS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("core/disk/", ("tests/core/disk",)),
    ("core/fit/", ("tests/core/fit",)),
    ("core/carry/", ("tests/core/carry",)),
    ("core/script/", ("tests/core/script", "tests/formats/documents/test_shell_script.py")),
    ("core/job/", ("tests/core/job",)),
    ("core/buy/", ("tests/core/buy",)),
    ("core/checkback/", ("tests/core/checkback",)),
    ("core/", ("tests/core",)),
    ("store/people.py", ("tests/store", "tests/web/test_network.py", "tests/web/test_unknown.py")),
    ("store/", ("tests/store",)),
    ("web/edge/attempts.py", ("tests/web/test_network.py", "tests/web/test_unknown.py")),
    ("web/edge/identity.py", ("tests/web/test_network.py", "tests/web/test_unknown.py")),
    ("web/edge/rights.py", ("tests/web/test_network.py", "tests/web/test_unknown.py")),
    ("formats/documents/shell/", ("tests/formats/documents", "tests/real/test_script.py", "tests/real/test_hands.py")),
    ("formats/documents/shell_script.py", ("tests/formats/documents", "tests/real/test_script.py")),
    ("formats/documents/script_", ("tests/formats/documents", "tests/real/test_script.py")),
)
COMPARED = {
    ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">", ast.Eq: "!=", ast.NotEq: "==", ast.In: "not in",
    ast.NotIn: "in", ast.Is: "is not", ast.IsNot: "is",
}  # fmt: skip
WORDS = {
    ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=", ast.Eq: "==", ast.NotEq: "!=", ast.In: "in",
    ast.NotIn: "not in", ast.Is: "is", ast.IsNot: "is not",
}  # fmt: skip
OPERATORS = {ast.Add: ("+", "-"), ast.Sub: ("-", "+"), ast.Mult: ("*", "//"), ast.FloorDiv: ("//", "*")}
NAMES = {"min": "max", "max": "min", "any": "all", "all": "any"}
SHELL = (
    (" -lt ", " -le "), (" -gt ", " -ge "), (" -ge ", " -gt "), (" -eq ", " -ne "), (" = ", " != "), (" != ", " = "),
    (" && ", " || "), (" || ", " && "), ("[ ! ", "[ "), ("/ 512", "/ 256"),
)  # fmt: skip


class Mutant(NamedTuple):
    """``start`` to ``stop`` of a file's text becomes ``new``."""

    path: Path
    start: int
    stop: int
    new: str

    def made(self, text: str) -> str:
        return text[: self.start] + self.new + text[self.stop :]

    def shown(self) -> str:
        text = self.path.read_text()
        line = text.count("\n", 0, self.start) + 1
        before = " ".join(text[self.start : self.stop].split())
        return f"{self.path.relative_to(SRC)}:{line}  {before[:60]}  ->  {self.new[:60] or '(left out)'}"


class _Sites(ast.NodeVisitor):
    """The places of one file. What is only for the type checker or for people to read is passed over."""

    def __init__(self, path: Path) -> None:
        self.path, self.text = path, path.read_text()
        self.starts = [0]
        for line in self.text.splitlines(keepends=True):
            self.starts.append(self.starts[-1] + len(line))
        self.lines = self.text.splitlines(keepends=True)
        self.found: list[Mutant] = []

    def at(self, line: int, column: int) -> int:
        return self.starts[line - 1] + len(self.lines[line - 1].encode()[:column].decode())

    def span(self, node: ast.expr | ast.stmt) -> tuple[int, int]:
        assert node.end_lineno is not None
        assert node.end_col_offset is not None
        return self.at(node.lineno, node.col_offset), self.at(node.end_lineno, node.end_col_offset)

    def add(self, start: int, stop: int, new: str) -> None:
        self.found.append(Mutant(self.path, start, stop, new))

    def between(self, one: ast.expr, other: ast.expr, word: str, new: str) -> None:
        """The operator between two expressions."""
        start, stop = self.span(one)[1], self.span(other)[0]
        place = re.search(r"(?<![\w<>=!])" + re.escape(word) + r"(?![\w=])", self.text[start:stop])
        if place:
            self.add(start + place.start(), start + place.end(), new)

    def visit_Compare(self, node: ast.Compare) -> None:
        sides = [node.left, *node.comparators]
        for one, operator, other in zip(sides, node.ops, node.comparators, strict=False):
            self.between(one, other, WORDS[type(operator)], COMPARED[type(operator)])
        self.generic_visit(node)

    def visit_BinOp(self, node: ast.BinOp) -> None:
        if type(node.op) in OPERATORS:
            self.between(node.left, node.right, *OPERATORS[type(node.op)])
        self.generic_visit(node)

    def visit_BoolOp(self, node: ast.BoolOp) -> None:
        words = ("and", "or") if isinstance(node.op, ast.And) else ("or", "and")
        self.between(node.values[0], node.values[1], *words)
        self.generic_visit(node)

    def visit_UnaryOp(self, node: ast.UnaryOp) -> None:
        if isinstance(node.op, ast.Not):
            self.add(self.span(node)[0], self.span(node.operand)[0], "")
        self.generic_visit(node)

    def visit_Constant(self, node: ast.Constant) -> None:
        start, stop = self.span(node)
        if node.value is True or node.value is False:
            self.add(start, stop, str(not node.value))
        elif isinstance(node.value, int) and self.text[start:stop].replace("_", "").isdigit():
            self.add(start, stop, str(node.value + 1))

    def visit_If(self, node: ast.If) -> None:
        if "TYPE_CHECKING" in ast.unparse(node.test):
            return
        start, stop = self.span(node.test)
        self.add(start, stop, "True")
        self.add(start, stop, "False")
        self.generic_visit(node)

    def visit_IfExp(self, node: ast.IfExp) -> None:
        start, stop = self.span(node.test)
        self.add(start, stop, "True")
        self.add(start, stop, "False")
        self.generic_visit(node)

    def visit_Call(self, node: ast.Call) -> None:
        if isinstance(node.func, ast.Name) and node.func.id in NAMES:
            self.add(*self.span(node.func), NAMES[node.func.id])
        self.visit(node.func)
        for argument in (*node.args, *(word.value for word in node.keywords if word.arg != "strict")):
            self.visit(argument)

    def visit_Expr(self, node: ast.Expr) -> None:
        if isinstance(node.value, ast.Call):
            self.add(*self.span(node), "...")
        if not isinstance(node.value, ast.Constant):
            self.generic_visit(node)

    def visit_Continue(self, node: ast.Continue) -> None:
        self.add(*self.span(node), "break")

    def visit_FunctionDef(self, node: ast.FunctionDef) -> None:
        for default in (*node.args.defaults, *(one for one in node.args.kw_defaults if one is not None)):
            self.visit(default)
        for statement in node.body:
            self.visit(statement)

    def visit_ClassDef(self, node: ast.ClassDef) -> None:
        for statement in node.body:
            self.visit(statement)

    def visit_AnnAssign(self, node: ast.AnnAssign) -> None:
        if node.value is not None:
            self.visit(node.value)

    def visit_Assert(self, _node: ast.Assert) -> None:
        """Says what the line above guarantees."""

    def visit_JoinedStr(self, _node: ast.JoinedStr) -> None:
        """Words for people."""

    def visit_Raise(self, _node: ast.Raise) -> None:
        """Words for people; whether it is raised is asked by the branch around it."""


def _of_shell(path: Path) -> Iterator[Mutant]:
    """Commands left out, tests turned round."""
    text, at = path.read_text(), 0
    for line in text.splitlines(keepends=True):
        code = line.strip()
        if code and not code.startswith("#") and not re.match(r"(done|fi|esac|else|then|\}|\w+\(\))", code):
            for old, new in SHELL:
                place = line.find(old)
                if place >= 0:
                    yield Mutant(path, at + place, at + place + len(old), new)
            if re.match(r"(refuse|say|stretch|bytes|rm|resize2fs|ntfsresize|e2fsck|seen|fit|ask|mv|dd)\b", code):
                begin = at + len(line) - len(line.lstrip())
                yield Mutant(path, begin, at + len(line.rstrip("\n")), ":")
        at += len(line)


def sites() -> list[Mutant]:
    """Every place of every file that has tests above."""
    found: list[Mutant] = []
    for path in sorted([*SRC.rglob("*.py"), *SRC.rglob("*.sh")]):
        if _tests(path) is None:
            continue
        if path.suffix == ".sh":
            found += _of_shell(path)
        else:
            visitor = _Sites(path)
            visitor.visit(ast.parse(visitor.text))
            found += visitor.found
    return found


def _tests(path: Path) -> tuple[str, ...] | None:
    name = path.relative_to(SRC).as_posix()
    return next((tests for part, tests in TESTS if name.startswith(part)), None)


def lives(mutant: Mutant, copy: Path) -> bool:
    """Whether every test of the folder passes with the change; ``copy`` is a whole checkout of one's own."""
    place = copy / mutant.path.relative_to(ROOT)
    text = mutant.path.read_text()
    place.write_text(mutant.made(text))
    try:
        if mutant.path.suffix == ".py":
            try:
                compile(place.read_text(), str(place), "exec")
            except (SyntaxError, ValueError):
                return False
        return all(_passes(tests, copy) for tests in _in_order(mutant.path, copy))
    finally:
        place.write_text(text)


def _in_order(path: Path, copy: Path) -> Iterator[tuple[str, ...]]:
    """The file of tests that has the module's name, then all of its folder."""
    tests = _tests(path) or ()
    own = [name for folder in tests for name in _named(copy, folder, path.stem)]
    if own:
        yield tuple(own)
    yield tests


def _named(copy: Path, folder: str, stem: str) -> list[str]:
    return [str(one.relative_to(copy)) for one in (copy / folder).glob(f"test_{stem}*.py")]


def _passes(tests: tuple[str, ...], copy: Path) -> bool:
    environment = {**os.environ, "PYTHONPATH": f"{copy / 'src'}{os.pathsep}{copy}", "PYTHONDONTWRITEBYTECODE": "1"}
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", "-p", "no:xdist", *tests]
    try:
        ran = subprocess.run(
            command, cwd=copy, env=environment, capture_output=True, timeout=SECONDS, check=False, text=True
        )
    except subprocess.TimeoutExpired:
        return False
    if ran.returncode not in (0, 1, 2):
        sys.exit(f"the tests cannot be run:\n{ran.stdout[-2000:]}{ran.stderr[-2000:]}")
    return ran.returncode == 0


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--count", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", default="", help="files whose path holds this")
    parser.add_argument("--processes", type=int, default=os.cpu_count() or 1)
    given = parser.parse_args()
    every = [mutant for mutant in sites() if given.only in mutant.path.relative_to(SRC).as_posix()]
    chosen = random.Random(given.seed).sample(every, min(given.count, len(every)))
    print(f"{len(chosen)} of {len(every)} places, seed {given.seed}", flush=True)
    with tempfile.TemporaryDirectory() as folder:
        copies: Queue[Path] = Queue()
        for number in range(given.processes):
            copy = Path(folder) / str(number)
            for part in ("src", "tests", "docs", "frontend/src", "benchmarks", "scripts"):
                shutil.copytree(ROOT / part, copy / part, ignore=shutil.ignore_patterns("__pycache__", "static"))
            for name in ("pyproject.toml", "README.md", "CHANGELOG.md", "CONTRIBUTING.md", "Makefile"):
                shutil.copy(ROOT / name, copy / name)
            copies.put(copy)

        done = count(1)

        def tried(mutant: Mutant) -> bool:
            copy = copies.get()
            try:
                alive = lives(mutant, copy)
            finally:
                copies.put(copy)
            number = next(done)
            if alive:
                print("lives  " + mutant.shown(), flush=True)
            elif number % 20 == 0:
                print(f"{number} tried", flush=True)
            return alive

        with ThreadPoolExecutor(given.processes) as pool:
            survivors = sum(pool.map(tried, chosen))
    killed = len(chosen) - survivors
    print(f"{killed} of {len(chosen)} killed")
    return 0 if killed >= GOAL * len(chosen) else 1


if __name__ == "__main__":
    sys.exit(main())
