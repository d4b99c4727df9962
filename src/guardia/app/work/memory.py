"""Memory that is no longer needed goes back to the system: the C library keeps what threads freed, each for itself.

With 10,000 clips of one camera that was a third of the memory in use. Where the library is not glibc nothing is done.
"""

from __future__ import annotations

import ctypes

_ARENA_MAX = -8
"""M_ARENA_MAX of glibc's <malloc.h>."""


def share_memory() -> None:
    """Let all threads take from one pool; called before the first of them is started."""
    if (mallopt := _of_glibc("mallopt")) is not None:
        mallopt(_ARENA_MAX, 1)


def give_back() -> None:
    """Give back what is free; after something large was read."""
    if (trim := _of_glibc("malloc_trim")) is not None:
        trim(0)


def _of_glibc(name: str) -> ctypes._NamedFuncPointer | None:
    try:
        found: ctypes._NamedFuncPointer | None = getattr(ctypes.CDLL(None), name, None)
    except OSError:
        return None
    return found
