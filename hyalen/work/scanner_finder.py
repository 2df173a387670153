"""Scanners that announce themselves in the local network by mDNS and DNS-SD (RFC 6762, RFC 6763)."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from typing import NamedTuple

from zeroconf import InterfaceChoice, ServiceBrowser, ServiceInfo, ServiceListener, Zeroconf

from hyalen.core.model.text import fit
from hyalen.work.scanner_client import address_of

SERVICES = {"_uscan._tcp.local.": "http", "_uscans._tcp.local.": "https"}
ANSWER_MILLISECONDS = 1500
MOST = 50


class Announced(NamedTuple):
    """A device that says of itself that it is a scanner; it is not spoken to before the clerk confirms it."""

    address: str
    name: str


def find_scanners(seconds: float = 2.5, interfaces: Sequence[str] | None = None) -> list[Announced]:
    """The devices that answer within so many seconds, those that speak in clear first.

    Raises
    ------
    OSError
        If the machine has no network.
    """
    found: dict[str, Announced] = {}
    lock = threading.Lock()

    class Listener(ServiceListener):
        def add_service(self, zc: Zeroconf, type_: str, name: str) -> None:
            info = ServiceInfo(type_, name)
            if not info.request(zc, ANSWER_MILLISECONDS) or not info.port:
                return
            told = {
                k.decode("utf8", "replace"): (v or b"").decode("utf8", "replace") for k, v in info.properties.items()
            }
            path = "/" + told.get("rs", "eSCL").strip("/")
            for host in info.parsed_addresses():
                shown = f"[{host}]" if ":" in host else host
                try:
                    address = address_of(f"{SERVICES[type_]}://{shown}:{info.port}{path}")
                except ValueError:
                    continue
                with lock:
                    if len(found) < MOST:
                        found[address] = Announced(address, fit(told.get("ty") or name.split("._")[0])[:80])

        def update_service(self, zc: Zeroconf, type_: str, name: str) -> None: ...

        def remove_service(self, zc: Zeroconf, type_: str, name: str) -> None: ...

    zeroconf = Zeroconf(interfaces=list(interfaces) if interfaces else InterfaceChoice.All)
    try:
        browser = ServiceBrowser(zeroconf, list(SERVICES), Listener())
        threading.Event().wait(seconds)
        browser.cancel()
    finally:
        zeroconf.close()
    with lock:
        return sorted(found.values(), key=lambda each: (not each.address.startswith("http:"), each.name, each.address))
