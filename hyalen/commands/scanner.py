"""`hyalen scanner`: the stand-in for a scanner, until it is stopped."""

from __future__ import annotations

import argparse
import sys
from contextlib import ExitStack

from hyalen.commands import UsageError
from hyalen.commands.usage import listening_at


def run(told: argparse.Namespace) -> int:
    import uvicorn

    from hyalen.scanner.announce import announced
    from hyalen.scanner.device import Device
    from hyalen.scanner.server import make_scanner
    from hyalen.scanner.sheets import STACKS, of_folder

    device = Device()
    if told.sheets:
        if not told.sheets.is_dir():
            raise UsageError(f"{told.sheets} is no folder")
        device.lay(of_folder(told.sheets))
    else:
        device.lay(STACKS[1].sheets())
    listening = listening_at(told.port)
    port = listening.getsockname()[1]
    address = f"http://127.0.0.1:{port}"
    with ExitStack() as held:
        try:
            held.enter_context(announced(port))
        except OSError as error:
            print(f"not announced in the network ({error.strerror or error}); name it by its address", file=sys.stderr)
        print(f"The stand-in scanner is at {address}/eSCL; lay sheets into it at {address}", flush=True)
        config = uvicorn.Config(make_scanner(device, f"{address}/"), log_level="error", timeout_graceful_shutdown=1)
        uvicorn.Server(config).run(sockets=[listening])
    return 0
