"""Every text that the program can show, with its place, to be read once as an editor would."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from importlib.resources import files
from pathlib import Path
from typing import NamedTuple

LEFT_OUT = ("tools", "benchcam")
"""Rooms whose texts only developers see, or that are file names and scenes."""

INSTEAD = (
    (r"notch(es)?", "level"),
    (r"tell(s|ing)?|told", "shown, reported; alerted (of people)"),
    (r"(stands?|stood|rests?|rested|lies|lay) on", "is based on, is"),
    (r"(takes?|taken|taking|took) (in|out|up|back)", "imported, removed, added, undone"),
    (r"(brings?|brought|bringing) in", "import"),
    (r"judged (whole|otherwise)", "fully reviewed, judged differently"),
    (r"watched (time|hours?|days?)|(time|hours?|days?) (is |was |were )?watched", "time covered"),
    (r"(un)?alike|odd ones?", "similar, unusual ones"),
    (r"rests? for|rests", "pause"),
    (r"records for", "recording length"),
    (r"motion must last", "minimum duration"),
    (r"levers?", "setting"),
    (r"cures?|school", "remedy, way of working"),
    (r"flips?", "changed outcome"),
    (r"hung (on|to)|hangs? on", "connected to"),
    (r"draws at most", "power draw, at most"),
    (r"anew|otherwise", "again, differently"),
    (r"silenced?", "not recorded, no longer recorded"),
    (r"(came|come|comes|become|became) of (it|him|them)|would tell", "result, how to check"),
    (r"not here", "does not apply"),
)
"""What is not to be used in texts, as a pattern, and what to write instead."""

ALLOWED = ("stand on a ladder",)
"""Uses of those words in their plain sense."""

LONGEST_WORDS = 25
"""A sentence with more words is to be parted."""

_END = re.compile(r"(?<=[.;?!])\s+")
_PATTERNS = [(re.compile(rf"\b({words})\b", re.IGNORECASE), instead) for words, instead in INSTEAD]
_QUOTED = re.compile(r"`[^`]*`")
_SENTENCE = re.compile(r"[A-Za-z]{2,} .*[a-z]{2,}|^[A-Z][a-z]+( ?…|\.)?$")
_CODE = re.compile(
    r"^(--|SELECT|INSERT|UPDATE|DELETE|CREATE|ALTER|PRAGMA|DROP|WITH|ATTACH|SAVEPOINT|RELEASE|ROLLBACK)(\b| )"
)


class Text(NamedTuple):
    """One text that can appear."""

    place: str
    """File below the program's folder, and line."""
    text: str
    """Its words; what is filled in stands as …."""


def texts() -> list[Text]:
    """All texts of the program's code and of its guide, in order of place."""
    root = Path(str(files("guardia")))
    found: list[Text] = []
    for path in sorted(root.rglob("*.py")):
        inside = path.relative_to(root)
        if inside.parts[0] not in LEFT_OUT:
            found += [Text(f"{inside}:{line}", text) for line, text in _of_code(path.read_text("utf-8"))]
    for path in sorted((root / "data" / "guide").glob("*.md")):
        lines = path.read_text("utf-8").splitlines()
        found += [Text(f"{path.relative_to(root)}:{n}", line) for n, line in enumerate(lines, 1) if line.strip()]
    return found


def texts_of_docs(checkout: Path) -> list[Text]:
    """The prose of the documentation of a checkout, without what is quoted from code."""
    found: list[Text] = []
    for path in (checkout / "README.md", *sorted((checkout / "docs").glob("*.*"))):
        if path.suffix not in (".md", ".txt"):
            continue
        code = False
        for number, line in enumerate(path.read_text("utf-8").splitlines(), 1):
            code ^= line.startswith("```")
            if code or (path.suffix == ".md" and line.startswith(("    ", "![", "```"))):
                continue
            if words := _QUOTED.sub("…", line).strip():
                found.append(Text(f"{path.relative_to(checkout)}:{number}", words))
    return found


def faults(all_texts: list[Text]) -> list[str]:
    """Where a word stands that is not to be used, or a sentence is too long: place, text, what to write instead."""
    found = []
    for place, text in all_texts:
        plain = text.replace("&", "")  # as the letter that chooses it is marked
        for allowed in ALLOWED:
            plain = plain.replace(allowed, "")
        for pattern, instead in _PATTERNS:
            if (hit := pattern.search(plain)) is not None:
                found.append(f"{place}: '{hit[0]}' in '{text}': {instead}")
        for sentence in _END.split(text):
            if (number := len(sentence.split())) > LONGEST_WORDS:
                found.append(f"{place}: {number} words in '{sentence}': at most {LONGEST_WORDS}")
    return found


def _of_code(source: str) -> Iterator[tuple[int, str]]:
    """Literals that are read by people: not docstrings, not keys, not SQL, not patterns."""
    tree = ast.parse(source)
    passed = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
    for node in ast.walk(tree):
        if isinstance(node, ast.JoinedStr):
            passed |= {id(part) for part in ast.walk(node) if part is not node}
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in _OF_MACHINES:
            passed |= {id(part) for argument in node.args for part in ast.walk(argument)}
    for node in ast.walk(tree):
        if id(node) in passed:
            continue
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            text = node.value
        elif isinstance(node, ast.JoinedStr):
            text = "".join(str(p.value) if isinstance(p, ast.Constant) else "…" for p in node.values)
        else:
            continue
        text = " ".join(text.split())
        if _SENTENCE.search(text) and not _CODE.match(text):
            yield node.lineno, text


_OF_MACHINES = ("compile", "execute", "executemany", "executescript", "strptime", "setStyleSheet", "setObjectName")
"""Calls whose texts no person reads."""
