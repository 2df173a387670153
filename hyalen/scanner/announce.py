"""The device announces itself as eSCL's devices do: DNS-SD over mDNS (RFC 6763, RFC 6762)."""

from __future__ import annotations

import socket
from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from zeroconf import ServiceInfo, Zeroconf

from hyalen.core.scanning.escl import VERSION
from hyalen.scanner.server import NAME, UUID


@contextmanager
def announced(port: int, interfaces: Sequence[str] = ("127.0.0.1",), name: str = NAME) -> Iterator[None]:
    """Announced for as long as it is served (raises OSError where the machine has no such network)."""
    info = ServiceInfo(
        "_uscan._tcp.local.",
        f"{name}._uscan._tcp.local.",
        addresses=[socket.inet_aton(each) for each in interfaces],
        port=port,
        properties={
            "txtvers": "1", "vers": VERSION, "rs": "eSCL", "ty": name, "uuid": UUID, "pdl": "image/jpeg,application/pdf",
            "cs": "binary,grayscale,color", "is": "platen,adf", "duplex": "T", "adminurl": f"http://{interfaces[0]}:{port}/",
        },
        server="hyalen-stand-in.local.",
    )  # fmt: skip
    zeroconf = Zeroconf(interfaces=list(interfaces))
    try:
        zeroconf.register_service(info, allow_name_change=True)
        yield
    finally:
        zeroconf.unregister_all_services()
        zeroconf.close()
