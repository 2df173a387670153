"""Tells troubles of the machine from those of a file."""

from __future__ import annotations

import errno
import sqlite3


def is_full(error: BaseException) -> bool:
    """Whether there is no space left, or no more for this user, whoever says so."""
    if isinstance(error, sqlite3.OperationalError):
        return "full" in str(error) or "disk I/O" in str(error)
    return isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT)
