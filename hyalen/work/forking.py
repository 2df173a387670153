"""The process that all others of this machine's are forked from: what they need is loaded once, and shared."""

from __future__ import annotations

import multiprocessing
import signal
from multiprocessing import forkserver
from multiprocessing.context import ForkServerContext
from threading import current_thread, main_thread

# What a worker needs for its first page, among it what is slow to load and needless to whoever starts it.
PRELOADED = (
    "hyalen.work.jobs",
    "hyalen.work.parts",
    "hyalen.work.preview",
    "hyalen.work.warm",
    "hyalen.core.formats.pdf",
    "scipy.interpolate",
    "scipy.sparse",
    "scipy.spatial",
    "wordfreq.numbers",
    "wordfreq.tokens",
)


def forking() -> ForkServerContext:
    """How workers are started. Asked for early, it loads while the caller does."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(list(PRELOADED))
    # Ctrl C is for whoever started it: while it loads it would answer with a traceback.
    here = signal.getsignal(signal.SIGINT) if current_thread() is main_thread() else None
    if here is not None:
        signal.signal(signal.SIGINT, signal.SIG_IGN)
    try:
        forkserver.ensure_running()
    finally:
        if here is not None:
            signal.signal(signal.SIGINT, here)
    return context
