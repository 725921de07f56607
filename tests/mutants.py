"""Plants small faults in the code, one at a time, and tells which of them no test notices: see `bin/mutate --help`."""

import argparse
import ast
import contextlib
import functools
import gc
import importlib.machinery
import json
import operator
import os
import re
import subprocess
import sys
import time
import unittest
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from copy import deepcopy
from dataclasses import dataclass
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory

import coverage
import dateutil.parser
import django
import hypothesis
import numpy
import pydantic.fields
from django.test.runner import DiscoverRunner

# Not used here, but loaded once for all mutants.
_LOADED = (dateutil.parser, hypothesis, numpy, pydantic.fields)
_ROOT = Path(__file__).parent.parent
_CORE = "tests.core"
_OTHER_OPERATORS: dict[type, list[type]] = {
    ast.Lt: [ast.LtE, ast.GtE], ast.LtE: [ast.Lt, ast.Gt], ast.Gt: [ast.GtE, ast.LtE], ast.GtE: [ast.Gt, ast.Lt],
    ast.Eq: [ast.NotEq], ast.NotEq: [ast.Eq], ast.Is: [ast.IsNot], ast.IsNot: [ast.Is], ast.In: [ast.NotIn],
    ast.NotIn: [ast.In], ast.Add: [ast.Sub], ast.Sub: [ast.Add], ast.Mult: [ast.Div], ast.Div: [ast.Mult],
    ast.And: [ast.Or], ast.Or: [ast.And],
}  # fmt: skip
Lines = dict[tuple[Path, int], set[str]]
_OTHER_NAMES = {"min": "max", "max": "min", "any": "all", "all": "any"}


@dataclass(frozen=True)
class Mutant:
    """One fault: the `variant`-th way to write the `node`-th node of a file otherwise."""

    path: Path
    node: int
    variant: int
    lines: range
    change: str
    in_function: bool

    def __str__(self) -> str:
        return f"{self.path.relative_to(_ROOT)}:{self.lines.start}  {self.change}"

    def compiled(self):
        tree = ast.parse(self.path.read_text())
        target = list(ast.walk(tree))[self.node]
        changed = list(_variants(target))[self.variant]
        return compile(ast.fix_missing_locations(_Replaced(target, changed).visit(tree)), self.path, "exec")


class _Replaced(ast.NodeTransformer):
    def __init__(self, old: ast.AST, new: ast.AST):
        self.old, self.new = old, new

    def visit(self, node: ast.AST) -> ast.AST:
        return self.new if node is self.old else self.generic_visit(node)


def _with(node: ast.AST, **fields) -> ast.AST:
    changed = deepcopy(node)
    for name, value in fields.items():
        setattr(changed, name, value)
    return changed


def _variants(node: ast.AST) -> Iterator[ast.AST]:
    match node:
        case ast.Compare(ops=ops):
            for at, op in enumerate(ops):
                yield from (_with(node, ops=[*ops[:at], o(), *ops[at + 1 :]]) for o in _OTHER_OPERATORS[type(op)])
        case ast.BinOp(op=op) | ast.BoolOp(op=op) if not _joins_text(node):
            yield from (_with(node, op=other()) for other in _OTHER_OPERATORS.get(type(op), []))
        case ast.UnaryOp(op=ast.Not() | ast.USub(), operand=operand):
            yield operand
        case ast.Constant(value=value):
            yield from (ast.Constant(other) for other in _other_values(value))
        case ast.Call(func=ast.Name(id=name)) if name in _OTHER_NAMES:
            yield _with(node, func=ast.Name(_OTHER_NAMES[name], ast.Load()))
        case ast.IfExp(body=body, orelse=orelse):
            yield _with(node, body=orelse, orelse=body)
        case ast.If(test=test) | ast.While(test=test):
            yield _with(node, test=ast.UnaryOp(ast.Not(), test))


def _joins_text(node: ast.AST) -> bool:
    sides = (node.left, node.right) if isinstance(node, ast.BinOp) else ()
    return any(isinstance(side, ast.JoinedStr | ast.List | ast.Constant) and not _number(side) for side in sides)


def _number(node: ast.AST) -> bool:
    return isinstance(node, ast.Constant) and isinstance(node.value, int | float)


def _other_values(value: object) -> list[object]:
    match value:
        case bool():
            return [not value]
        case int():
            return [value + 1]
        case float():
            return [value * 1.2 if value else 1.0]
    return []


def _left_alone(tree: ast.AST) -> set[int]:
    """Nodes that nothing can be asked of: annotations, decorators, what is written for the type checker alone."""
    left: list[ast.AST] = []
    for node in ast.walk(tree):
        match node:
            case ast.AnnAssign(annotation=annotation):
                left.append(annotation)
            case ast.FunctionDef(args=args, returns=returns, decorator_list=decorators):
                every = [*args.posonlyargs, *args.args, *args.kwonlyargs]
                left += (
                    [arg.annotation for arg in every if arg.annotation] + decorators + ([returns] if returns else [])
                )
            case ast.ClassDef(decorator_list=decorators):
                left += decorators
            case ast.If(test=ast.Name(id="TYPE_CHECKING")):
                left.append(node)
            case ast.Call(func=ast.Name(id="zip"), keywords=keywords):
                left += keywords
    return {id(inner) for outer in left for inner in ast.walk(outer)}


def mutants_of(path: Path, lines: set[int] | None = None) -> list[Mutant]:
    """All of one file, or those that stand on these lines."""
    tree = ast.parse(path.read_text())
    alone, found = _left_alone(tree), []
    inside = {
        id(inner)
        for outer in ast.walk(tree)
        if isinstance(outer, ast.FunctionDef)
        for statement in outer.body
        for inner in ast.walk(statement)
    }
    for number, node in enumerate(ast.walk(tree)):
        if id(node) in alone or not hasattr(node, "lineno"):
            continue
        shown = node.test if isinstance(node, ast.If | ast.While) else node
        span = range(shown.lineno, shown.end_lineno + 1)
        if lines is not None and lines.isdisjoint(span):
            continue
        for variant, changed in enumerate(_variants(node)):
            after = changed.test if isinstance(node, ast.If | ast.While) else changed
            change = f"{ast.unparse(shown)}  ->  {ast.unparse(ast.fix_missing_locations(deepcopy(after)))}"
            found.append(Mutant(path, number, variant, span, change, id(node) in inside))
    return found


def changed_since(revision: str) -> dict[Path, set[int]]:
    """The lines of Python under kessa/ that were written since a revision of git, by file."""
    command = ["git", "diff", "--unified=0", "--no-color", revision, "--", "kessa/*.py"]
    text = subprocess.run(command, cwd=_ROOT, check=True, capture_output=True, text=True).stdout
    lines, path = defaultdict(set), None
    for line in text.splitlines():
        if line.startswith("+++ "):
            path = _ROOT / line[6:] if line.startswith("+++ b/") else None
        elif path and (hunk := re.match(r"@@ .*\+(\d+)(?:,(\d+))? @@", line)):
            start, count = int(hunk[1]), int(hunk[2] or 1)
            lines[path] |= set(range(start, start + count))
    return {path: on for path, on in lines.items() if path.exists()}


class _Timed(unittest.TestResult):
    """Notes for each test how long it took; switches `coverage` to it, with nothing kept from the test before."""

    def __init__(self, coverage=None):
        super().__init__()
        self.failfast, self.coverage, self.seconds, self._before = coverage is None, coverage, {}, None

    def startTest(self, test):  # noqa: N802
        super().startTest(test)
        if self.coverage:
            if type(test) is not self._before:
                self._before = type(test)
                for kept in [each for each in gc.get_objects() if type(each) is functools._lru_cache_wrapper]:
                    if (kept.__module__ or "").startswith("kessa"):
                        kept.cache_clear()
            self.coverage.switch_context(test.id())
        self._start = time.perf_counter()

    def stopTest(self, test):  # noqa: N802
        self.seconds[test.id()] = time.perf_counter() - self._start
        super().stopTest(test)


class _Runner(DiscoverRunner):
    """Django's own, on a database that the next run finds again, and with a result of ours."""

    def __init__(self, result: unittest.TestResult):
        super().__init__(keepdb=True, interactive=False, verbosity=0)
        self.result = result

    def run_suite(self, suite, **_):
        return suite.run(self.result)

    def run(self, labels: list[str]) -> None:
        if any(map(_needs_django, labels)):
            django.setup()
        if all(label.startswith(_CORE) for label in labels):
            self.run_suite(self.build_suite(labels))
        else:
            self.run_tests(labels)


def _needs_django(label: str) -> bool:
    """Most tests of the core do not, and making it ready takes longer than they do."""
    module = _ROOT.joinpath(*label.split(".")[:3]).with_suffix(".py")
    return not label.startswith(_CORE) or "\nfrom django" in module.read_text()


def _in_child(work: Callable[[], int]) -> int:
    """Run in a process of its own that has loaded none of Kessa yet; its number."""
    child = os.fork()
    if child == 0:
        status = 2
        with contextlib.suppress(BaseException):
            silent = os.open(os.devnull, os.O_RDWR)
            for stream in (0, 1, 2):
                os.dup2(silent, stream)
            status = work()
        os._exit(status)
    return child


def _modules(labels: list[str]) -> Iterator[str]:
    """The modules of tests that labels stand for, each to be run by itself."""
    for label in labels:
        folder = _ROOT / label.replace(".", "/")
        yield from (
            (f"{label}.{each.stem}" for each in sorted(folder.glob("test_*.py"))) if folder.is_dir() else (label,)
        )


def _lines_run(labels: list[str], files: set[Path], pool: ThreadPoolExecutor) -> tuple[Lines, dict[str, float]]:
    """Which tests run each line of some files, and how many seconds each test takes."""
    with TemporaryDirectory() as folder:

        def run(module: str) -> None:
            file, times = Path(folder) / module, Path(folder) / f"{module}-times"

            def work() -> int:
                measured = coverage.Coverage(data_file=str(file), include=sorted(map(str, files)), config_file=False)
                measured.start()
                result = _Timed(measured)
                _Runner(result).run([module])
                measured.stop()
                measured.save()
                times.write_text(json.dumps(result.seconds))
                return 0 if result.wasSuccessful() else 1

            if os.waitstatus_to_exitcode(os.waitpid(_in_child(work), 0)[1]) != 0:
                sys.exit(f"bin/mutate: {module} fails as it is")

        modules = list(_modules(labels))
        list(pool.map(run, modules))
        by_line, seconds = defaultdict(set), {}
        for module in modules:
            data = coverage.CoverageData(str(Path(folder) / module))
            data.read()
            for name in data.measured_files():
                for line, contexts in data.contexts_by_lineno(name).items():
                    by_line[Path(name), line] |= {context for context in contexts if context}
            seconds |= json.loads((Path(folder) / f"{module}-times").read_text())
    return by_line, seconds


def _lives(mutant: Mutant, tests: list[str], seconds: float) -> bool:
    """Do these tests all pass with the fault in place? One that goes on for too long is noticed."""

    def work() -> int:
        loader, as_written = importlib.machinery.SourceFileLoader, importlib.machinery.SourceFileLoader.get_code

        def get_code(self, name):
            return mutant.compiled() if self.path == str(mutant.path) else as_written(self, name)

        loader.get_code = get_code
        result = _Timed()
        _Runner(result).run(tests)
        return 0 if result.wasSuccessful() and result.testsRun == len(tests) else 1

    child, ends = _in_child(work), time.monotonic() + 20 + 5 * seconds
    while time.monotonic() < ends:
        ended, status = os.waitpid(child, os.WNOHANG)
        if ended:
            return status == 0
        time.sleep(0.05)
    os.kill(child, 9)
    os.waitpid(child, 0)
    return False


def main() -> None:
    parser = argparse.ArgumentParser(prog="bin/mutate", description=__doc__)
    parser.add_argument("paths", nargs="*", type=Path, help="files or folders (else kessa/core)")
    parser.add_argument("--since", metavar="REVISION", help="only lines written since then, wherever they are")
    parser.add_argument("--tests", nargs="+", default=[_CORE], metavar="LABEL", help="tests to run (else tests.core)")
    parser.add_argument("--count", type=int, default=100, help="how many to draw (else 100)")
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    lines = changed_since(asked.since) if asked.since else None
    roots = [path.resolve() for path in asked.paths] or ([_ROOT / "kessa"] if lines else [_ROOT / "kessa" / "core"])
    files = [
        file
        for root in roots
        for file in ([root] if root.is_file() else sorted(root.rglob("*.py")))
        if "migrations" not in file.parts
    ]
    every = [m for file in files if lines is None or file in lines for m in mutants_of(file, lines and lines[file])]
    drawn = Random(asked.seed).sample(every, min(asked.count, len(every)))
    # Above the core all use one database.
    pool = ThreadPoolExecutor(os.cpu_count() if all(each.startswith(_CORE) for each in asked.tests) else 1)
    by_line, seconds = _lines_run(asked.tests, {mutant.path for mutant in drawn}, pool)
    by_file = defaultdict(set)
    for (path, _), tests in by_line.items():
        by_file[path] |= tests
    print(f"{len(every)} mutants, {len(drawn)} drawn with seed {asked.seed}; {len(seconds)} tests", flush=True)

    def lives(mutant: Mutant) -> bool:
        at = set().union(*(by_line.get((mutant.path, line), set()) for line in mutant.lines))
        # What is made when a module is read has no test of its own: those that run the module, else all.
        tests = at if mutant.in_function else by_file[mutant.path] or set(seconds)
        return not tests or _lives(mutant, sorted(tests, key=seconds.__getitem__), sum(map(seconds.__getitem__, tests)))

    alive = [m for m, lived in zip(drawn, pool.map(lives, drawn), strict=True) if lived]
    for mutant in sorted(alive, key=operator.attrgetter("path", "lines.start")):
        print(f"lived  {mutant}")
    folders = Counter(str(m.path.relative_to(_ROOT).parent) for m in alive)
    print(f"{len(drawn) - len(alive)} of {len(drawn)} were noticed", dict(folders.most_common()) if folders else "")


if __name__ == "__main__":
    main()
