"""Plants faults in the program, one at a time, and counts those that its tests notice.

    python -m tests.planted [COUNT [CALLS [FIRST]]]

A fault is one comparison, sign, number or truth value of `core` or `app` turned into another, chosen by a generator
with a fixed seed. First every test module runs once but those of the window, and it is noted which lines run in it (in
the file CALLS; where that is there already it is read). Then each fault is planted in a copy of the checkout, where
those modules run that reach its line, the quickest first, until one fails. Prints a line for each fault; 1 when fewer
than nine in ten were noticed.
"""

import ast
import json
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import SimpleQueue

HOME = Path(__file__).resolve().parents[1]
SEED = 33
NOTICED_SHARE = 0.9
LONGEST_S = 240.0
"""So long the tests may take for one fault; what they had not noticed by then counts as not noticed."""

COMPARED = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip
COUNTED = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.FloorDiv: ast.Mult}
COVERED = "[run]\nsource = src/guardia\nparallel = true\nconcurrency = multiprocessing, thread\n"
JOINED = {ast.And: ast.Or, ast.Or: ast.And}


@dataclass(frozen=True)
class Fault:
    """One place of the program, and what stands there instead."""

    path: Path
    line: int
    begin: int
    end: int
    """Where it begins and ends in the file, bytes."""
    before: str
    after: str

    @property
    def words(self) -> str:
        """Where it is and what it does."""
        return f"{self.path.relative_to(HOME / 'src' / 'guardia')}:{self.line}: {self.before} -> {self.after}"


def _turned(node: ast.AST) -> ast.AST | None:
    """The same expression with a fault in it; None where there is none of the four kinds."""
    match node:
        case ast.Compare(left=left, ops=[op], comparators=[right]) if type(op) in COMPARED:
            return ast.Compare(left, [COMPARED[type(op)]()], [right])
        case ast.BinOp(left=left, op=op, right=right) if type(op) in COUNTED and not isinstance(left, ast.Constant):
            return ast.BinOp(left, COUNTED[type(op)](), right)
        case ast.BoolOp(op=op, values=values):
            return ast.BoolOp(JOINED[type(op)](), values)
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return operand
        case ast.Constant(value=bool() as value):
            return ast.Constant(not value)
        case ast.Constant(value=int() | float() as value):
            return ast.Constant(value + 1 if isinstance(value, int) else value * 1.5 or 1.0)
    return None


def _expressions(tree: ast.AST) -> Iterator[ast.AST]:
    """Expressions that run, not those of types; what is written for a type is quoted or in an annotation."""
    for field, value in ast.iter_fields(tree):
        if field in ("annotation", "returns", "decorator_list"):
            continue
        for child in value if isinstance(value, list) else [value]:
            if isinstance(child, ast.AST):
                yield child
                if not isinstance(child, ast.JoinedStr):
                    yield from _expressions(child)


def faults_of(path: Path) -> list[Fault]:
    """Every fault that can be planted in a file."""
    text = path.read_bytes()
    starts = [0]
    for line in text.splitlines(keepends=True):
        starts.append(starts[-1] + len(line))
    found = []
    for node in _expressions(ast.parse(text)):
        if (turned := _turned(node)) is not None:
            begin, end = starts[node.lineno - 1] + node.col_offset, starts[node.end_lineno - 1] + node.end_col_offset
            before = " ".join(text[begin:end].decode().split())
            found.append(Fault(path, node.lineno, begin, end, before, ast.unparse(turned)))
    return found


def chosen(count: int) -> list[Fault]:
    """So many faults of core and app; a smaller number gives the first of a larger one."""
    files = sorted(p for room in ("core", "app") for p in (HOME / "src" / "guardia" / room).rglob("*.py"))
    everything = [fault for path in files for fault in faults_of(path)]
    random.Random(SEED).shuffle(everything)
    return everything[:count]


class Reached:
    """Which test modules reach a line, and how long each takes."""

    def __init__(self, workers: int, kept: Path | None) -> None:
        rooms = [HOME / "tests" / room for room in ("core", "app", "reference", "store", "report")]
        names = [".".join(p.relative_to(HOME).with_suffix("").parts) for r in rooms for p in r.rglob("test_*.py")]
        if kept is not None and kept.exists():
            found = json.loads(kept.read_text("utf-8"))
        else:
            with ThreadPoolExecutor(workers) as pool:
                found = dict(zip(names, pool.map(self._run, names), strict=True))
        if kept is not None:
            kept.write_text(json.dumps(found), "utf-8")
        self._by: dict[str, tuple[float, dict[str, list[int]]]] = found

    def _run(self, name: str) -> tuple[float, dict[str, list[int]]]:
        with tempfile.TemporaryDirectory() as folder:
            environment = {**_environment(HOME), "COVERAGE_FILE": str(Path(folder) / "lines")}
            measure = [sys.executable, "-m", "coverage"]
            quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
            begun = time.monotonic()
            (Path(folder) / "rc").write_text(COVERED)
            own = ["run", f"--rcfile={folder}/rc", "-m", "unittest", name]
            subprocess.run([*measure, *own], cwd=HOME, env=environment, check=False, **quiet)
            seconds = time.monotonic() - begun
            subprocess.run([*measure, "combine"], cwd=HOME, env=environment, check=False, **quiet)
            target = Path(folder) / "lines.json"
            subprocess.run([*measure, "json", "-q", "-o", str(target)], cwd=HOME, env=environment, check=False, **quiet)
            files = json.loads(target.read_text("utf-8"))["files"] if target.exists() else {}
            print(f"{name}: {seconds:.0f} s, {len(files)} files", file=sys.stderr, flush=True)
            return seconds, {path: file["executed_lines"] for path, file in files.items() if file["executed_lines"]}

    def by(self, fault: Fault) -> list[str]:
        """The quickest first."""
        path = str(fault.path.relative_to(HOME))
        around = [n for n in ast.walk(ast.parse(fault.path.read_bytes())) if isinstance(n, ast.stmt)]
        line = max(n.lineno for n in around if n.lineno <= fault.line <= (n.end_lineno or 0))  # where it begins
        reached = (name for name, (_, ran) in self._by.items() if line in ran.get(path, ()))
        return sorted(reached, key=lambda name: self._by[name][0])


def _environment(checkout: Path) -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": f"{checkout / 'src'}:{checkout}", "QT_QPA_PLATFORM": "offscreen"}


def noticed(fault: Fault, checkout: Path, names: list[str]) -> str:
    """Plant a fault in a copy of the checkout and run the tests that call it; the module that failed, or ''."""
    target = checkout / fault.path.relative_to(HOME)
    whole = fault.path.read_bytes()
    target.write_bytes(whole[: fault.begin] + f"({fault.after})".encode() + whole[fault.end :])
    end = time.monotonic() + LONGEST_S
    try:
        for name in names:
            left = end - time.monotonic()
            if left <= 0:
                return ""
            command = [sys.executable, "-m", "unittest", "-q", "-f", name]
            with tempfile.TemporaryFile() as said:  # a pipe would be held open by what a killed test had started
                try:
                    done = subprocess.run(
                        command,
                        cwd=checkout,
                        env=_environment(checkout),
                        stdout=said,
                        stderr=said,
                        timeout=left,
                        check=False,
                    )
                except subprocess.TimeoutExpired:
                    return ""
            if done.returncode:
                return name
        return ""
    finally:
        target.write_bytes(whole)


def run(count: int, kept: Path | None = None, first: int = 0) -> tuple[int, list[Fault]]:
    """Plant so many faults, without the first ones; `kept` is where the lines that tests reach are kept.

    Returns:
        How many were noticed, and those that were not.
    """
    left, found, workers = [], 0, int(os.environ.get("PLANTED_AT_ONCE", os.cpu_count() or 1))
    reached = Reached(workers, kept)
    with tempfile.TemporaryDirectory(prefix="guardia-planted-") as folder:
        checkouts: SimpleQueue[Path] = SimpleQueue()
        for number in range(workers):
            copy = Path(folder) / str(number)
            skipped = shutil.ignore_patterns(".git", ".venv", "__pycache__", ".mypy_cache", ".ruff_cache")
            shutil.copytree(HOME, copy, ignore=skipped)
            checkouts.put(copy)

        def one(fault: Fault) -> str:
            checkout = checkouts.get()
            try:
                return noticed(fault, checkout, reached.by(fault))
            finally:
                checkouts.put(checkout)

        with ThreadPoolExecutor(workers) as pool:
            planted = chosen(count)[first:]
            for fault, by in zip(planted, pool.map(one, planted), strict=True):
                print(
                    f"{'noticed by ' + re.sub('^tests.', '', by) if by else 'NOT NOTICED'}: {fault.words}", flush=True
                )
                found += bool(by)
                if not by:
                    left.append(fault)
    return found, left


if __name__ == "__main__":
    count, calls, first = [*sys.argv[1:], *("200", "", "0")[len(sys.argv) - 1 :]]
    seen, missed = run(int(count), Path(calls) if calls else None, int(first))
    print(f"{seen} of {seen + len(missed)} noticed")
    sys.exit(seen < NOTICED_SHARE * (seen + len(missed)))
