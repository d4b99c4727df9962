"""The menu bar: the actions of the program in their groups, each with its keys and its letter."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QMenu

from guardia.app.steps.actions import ACTIONS, MENUS, RECENT, with_mnemonics

RECENT_TEXT = "Open recent"


def fill_menus(
    window: QMainWindow,
    acts: Mapping[str, Callable[[], object]],
    recent: Callable[[], Sequence[str]],
    open_folder: Callable[[Path], object],
) -> dict[str, QAction]:
    """Make all actions and put them into the menu bar of a window.

    Args:
        window: Gets the menus and owns the actions.
        acts: What each action does, by its id.
        recent: Gives the folders of the projects opened last.
        open_folder: Opens one of them.

    Returns:
        The actions by id. Their `iconText` is their plain text.
    """
    actions = {}
    for entry in ACTIONS:
        action = QAction(entry.text, window)
        action.setIconText(entry.text)
        action.setShortcut(QKeySequence(entry.keys))
        action.setCheckable(entry.switch)
        action.setToolTip(entry.help)
        action.setStatusTip(entry.help)
        action.triggered.connect(lambda _=False, act=acts[entry.id]: act())
        actions[entry.id] = action
    bar = window.menuBar()
    if bar is None:
        return actions
    for (_, *groups), title in zip(MENUS, with_mnemonics([name for name, *_ in MENUS]), strict=True):
        menu = bar.addMenu(title)
        if menu is None:
            continue
        plain = [RECENT_TEXT if id == RECENT else actions[id].iconText() for group in groups for id in group]
        texts = iter(with_mnemonics(plain))
        for number, group in enumerate(groups):
            if number:
                menu.addSeparator()
            for id in group:
                if id == RECENT:
                    _recent_menu(menu, next(texts), recent, open_folder)
                else:
                    actions[id].setText(next(texts))
                    menu.addAction(actions[id])
    return actions


def _recent_menu(
    menu: QMenu, text: str, recent: Callable[[], Sequence[str]], open_folder: Callable[[Path], object]
) -> None:
    """A menu within a menu with the projects opened last; those that are gone are left out."""
    inner = menu.addMenu(text)
    if inner is None:
        return

    def fill() -> None:
        there = [Path(name) for name in recent() if Path(name).is_dir()]
        inner.clear()
        for number, folder in enumerate(there, 1):
            words = str(folder).replace("&", "&&")
            action = inner.addAction(f"&{number}  {words}")
            if action is not None:
                action.triggered.connect(partial(lambda path, _=False: open_folder(path), folder))
        inner.setEnabled(bool(there))

    menu.aboutToShow.connect(fill)
