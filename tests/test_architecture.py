"""Rules about the code itself that the import rules cannot express."""

import ast
import re
import sys
import unittest
from pathlib import Path

from guardia.app.steps.actions import ACTIONS
from guardia.app.steps.steps import STEPS, step_of
from guardia.core.purpose.judgement import KINDS, Verdict
from guardia.ui.shell.step_pages import PAGES

HOME = Path(__file__).resolve().parent.parent


def calls(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.Call):
            name = node.func
            found.add(name.attr if isinstance(name, ast.Attribute) else getattr(name, "id", ""))
    return found


def imports(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.ImportFrom):
            found |= {f"{node.module}.{name.name}" for name in node.names}
        elif isinstance(node, ast.Import):
            found |= {name.name for name in node.names}
    return found


def literal_colours(path: Path) -> list[str]:
    """QColor made of numbers or of a text, and texts that are colours."""
    found = []
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "QColor":
            found += [ast.unparse(node) for a in node.args if isinstance(a, ast.Constant)]
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            found += re.findall(r"#[0-9a-fA-F]{6}\b", node.value)
        elif isinstance(node, ast.Attribute) and node.attr == "GlobalColor":
            found.append(ast.unparse(node))
    return found


def import_graph() -> dict[str, set[str]]:
    """Which file of the program imports which."""
    source = HOME / "src"
    names = {".".join(p.relative_to(source).with_suffix("").parts).removesuffix(".__init__"): p
             for p in source.rglob("*.py")}  # fmt: skip
    graph = {}
    for name, path in names.items():
        found = {m if m in names else m.rpartition(".")[0] for m in imports(path)}
        graph[name] = {m for m in found if m in names and m != name}
    return graph


def circles(graph: dict[str, set[str]]) -> list[list[str]]:
    """The groups of files that reach each other."""
    number: dict[str, int] = {}
    low: dict[str, int] = {}
    stack: list[str] = []
    found = []

    def visit(one: str) -> None:
        number[one] = low[one] = len(number)
        stack.append(one)
        for other in graph.get(one, ()):
            if other not in number:
                visit(other)
            if other in stack:
                low[one] = min(low[one], low[other])
        if low[one] == number[one]:
            group = stack[stack.index(one) :]
            del stack[stack.index(one) :]
            if len(group) > 1:
                found.append(sorted(group))

    for one in graph:
        if one not in number:
            visit(one)
    return found


class Rules(unittest.TestCase):
    def test_no_test_waits_for_a_fixed_time(self):
        for path in (HOME / "tests").rglob("*.py"):
            self.assertFalse(calls(path) & {"sleep", "qWait"}, path)

    def test_no_file_is_so_large_that_a_repository_keeps_it_elsewhere(self):
        files = [f for part in ("src", "docs", "tests", "packaging") for f in (HOME / part).rglob("*") if f.is_file()]
        self.assertEqual([f for f in (*files, *HOME.glob("*.*")) if f.is_file() and f.stat().st_size > 3_000_000], [])

    def test_nothing_processes_events_by_hand_and_app_knows_no_widgets(self):
        for path in (HOME / "src").rglob("*.py"):
            self.assertNotIn("processEvents", calls(path), path)
            if "app" in path.relative_to(HOME / "src" / "guardia").parts[:1]:
                self.assertFalse({m for m in imports(path) if "QtWidgets" in m}, path)

    def test_no_files_import_each_other_in_a_circle_those_for_types_alone_included(self):
        graph = import_graph()
        sys.setrecursionlimit(10_000)
        self.assertGreater(len(graph), 300)
        self.assertEqual(circles(graph), [])
        self.assertEqual(circles({"a": {"b"}, "b": {"c"}, "c": {"a"}, "d": {"a"}}), [["a", "b", "c"]])

    def test_no_class_name_stands_for_two_things(self):
        where: dict[str, list[str]] = {}
        for path in (HOME / "src").rglob("*.py"):
            for node in ast.parse(path.read_text("utf-8")).body:
                if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                    where.setdefault(node.name, []).append(path.name)
        self.assertEqual({name: files for name, files in where.items() if len(files) > 1}, {})

    def test_only_the_theme_names_colours(self):
        views = [path for path in (HOME / "src" / "guardia" / "ui").rglob("*.py") if path.name != "theme.py"]
        self.assertGreater(len(views), 20)
        for path in views:
            self.assertNotIn("setStyleSheet", calls(path), path)
            self.assertEqual(literal_colours(path), [], path)

    def test_actions_have_help_and_keys_of_their_own(self):
        keys = [a.keys for a in ACTIONS if a.keys]
        self.assertEqual(len(keys), len(set(keys)))
        self.assertTrue(all(a.help.endswith(".") and a.text for a in ACTIONS))
        self.assertEqual(len({a.id for a in ACTIONS}), len(ACTIONS))

    def test_every_step_has_its_page_and_its_key_in_the_order_of_the_work(self):
        digits = [f"Ctrl+{n % 10}" for n in range(1, 11)]
        self.assertEqual([s.keys for s in STEPS if s.id != "purpose"][:10], digits)
        self.assertEqual(set(PAGES), {s.id for s in STEPS if s.needs_camera})
        self.assertTrue(all(step_of(step_of(s.id)) == step_of(s.id) for s in STEPS))

    def test_every_judgement_has_a_key_of_its_own(self):
        self.assertEqual(len({k.key for k in KINDS}), len(KINDS))
        self.assertEqual({k.verdict for k in KINDS}, set(Verdict))
