"""`hyalen serve`: the application, until it is stopped."""

from __future__ import annotations

import argparse
import gc
import logging
from contextlib import ExitStack

from hyalen.commands.usage import default_data, listening_at, told_limits, writable
from hyalen.store.held import Held
from hyalen.work.workers import default_workers

# A full collection takes a tenth of a second, in which a key waits: there are few cycles, and the younger objects' suffice.
SELDOM = (5_000, 5, 500)


def run(told: argparse.Namespace) -> int:
    import uvicorn

    from hyalen.web.app import make_app

    logging.getLogger("asyncio").setLevel(logging.ERROR)  # it warns of each browser that has gone
    limits, data = told_limits(), told.data or default_data()
    address = f"http://127.0.0.1:{told.port}"
    folders = [each for each in (told.post, told.watch) if each]
    with writable(data), Held(data, address), ExitStack() as held:
        listening = held.enter_context(listening_at(told.port))
        for folder in folders:
            held.enter_context(writable(folder))
        app = make_app(data, workers=told.workers or default_workers(), limits=limits, post=told.post, watch=told.watch)
        gc.collect()
        gc.freeze()
        gc.set_threshold(*SELDOM)
        print(f"Hyalen is at {address}", flush=True)
        # An open browser listens for events without end; stopping must not wait for it.
        config = uvicorn.Config(app, log_level="warning", timeout_graceful_shutdown=2)
        uvicorn.Server(config).run(sockets=[listening])
    return 0
