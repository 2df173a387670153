"""The documents of eSCL, by which driverless scanners speak over HTTP, as the client writes and reads them.

The protocol is Mopria's eSCL Technical Specification with the PWG's semantic model (PWG 5108.2); element names and
values are given from memory of its versions 2.6 to 2.9.
"""

from __future__ import annotations

from typing import NamedTuple

from lxml import etree

from hyalen.core.scanning.wish import MM, Colour, Sides, Source, Wish

SCAN = "http://schemas.hp.com/imaging/escl/2011/05/03"
PWG = "http://www.pwg.org/schemas/2010/12/sm"
VERSION = "2.63"
UNITS = 300.0  # an inch, in which eSCL measures
LONGEST = 1_000_000  # bytes of a document that is read
MOST_UNITS = 300 * 100  # a hundred inches: who states more lies

COLOURS = {Colour.COLOUR: "RGB24", Colour.GREY: "Grayscale8", Colour.ONE_BIT: "BlackAndWhite1"}
FORMATS = ("image/jpeg", "application/pdf")  # in the order in which they are preferred

# What the states of a feeder mean to who stands before it.
FEEDER_TROUBLE = {
    "ScannerAdfEmpty": "empty",
    "ScannerAdfJam": "jam",
    "ScannerAdfMispick": "jam",
    "ScannerAdfHatchOpen": "cover_open",
    "ScannerAdfMultipickDetected": "double_feed",
    "ScannerAdfDuplexPageTooShort": "jam",
    "ScannerAdfDuplexPageTooLong": "jam",
    "ScannerAdfInputTrayFailed": "jam",
    "ScannerAdfInputTrayOverloaded": "jam",
}


class ProtocolError(ValueError):
    """A device said what cannot be understood; the message says what."""


class Input(NamedTuple):
    """What a device takes: sizes in millimetres, the resolutions it offers, colours, and file formats."""

    width: float
    height: float
    resolutions: tuple[int, ...]
    colours: tuple[Colour, ...]
    formats: tuple[str, ...]


class Span(NamedTuple):
    """Of a setting: its least and largest value, and that which changes nothing."""

    least: int
    most: int
    normal: int

    def at(self, share: int) -> int:
        """The value for -100 to 100."""
        end = self.most if share > 0 else self.least
        return round(self.normal + abs(share) / 100 * (end - self.normal))


class Capabilities(NamedTuple):
    """What a device can do; `duplex` are a feeder's that scans both sides."""

    name: str
    version: str
    admin: str
    flatbed: Input | None
    feeder: Input | None
    duplex: Input | None
    brightness: Span | None
    contrast: Span | None

    def input(self, source: Source, sides: Sides = Sides.ONE) -> Input | None:
        """What it takes in a way of scanning; None where it cannot."""
        if source == "flatbed":
            return self.flatbed
        return self.duplex if sides is Sides.BOTH else self.feeder


class JobInfo(NamedTuple):
    """A job as its device tells it; `sent` are the pictures that have left it."""

    path: str
    state: str
    sent: int | None
    reasons: tuple[str, ...]

    @property
    def is_over(self) -> bool:
        return self.state in ("Completed", "Canceled", "Aborted")


class Status(NamedTuple):
    """`feeder` is a state of eSCL's, "" where it tells none."""

    state: str
    feeder: str
    jobs: tuple[JobInfo, ...]

    @property
    def trouble(self) -> str:
        """What is wrong with the feeder: empty, jam, cover_open, double_feed; "" where nothing is."""
        return FEEDER_TROUBLE.get(self.feeder, "")

    def job(self, path: str) -> JobInfo | None:
        return next((j for j in self.jobs if j.path.rstrip("/") == path.rstrip("/")), None)


def read_capabilities(data: bytes) -> Capabilities:
    """What `ScannerCapabilities` answers (raises ProtocolError)."""
    root = _parsed(data, "ScannerCapabilities")
    flatbed = _input(root.find(".//{*}PlatenInputCaps"))
    feeder = _input(root.find(".//{*}AdfSimplexInputCaps"))
    duplex = _input(root.find(".//{*}AdfDuplexInputCaps"))
    if flatbed is None and feeder is None and duplex is None:
        raise ProtocolError("it says that it has neither a glass nor a feeder")
    return Capabilities(
        name=_text(root, "MakeAndModel")[:120] or "Scanner",
        version=_text(root, "Version")[:20],
        admin=_text(root, "AdminURI")[:300],
        flatbed=flatbed,
        feeder=feeder or duplex,
        duplex=duplex,
        brightness=_span(root.find("{*}BrightnessSupport")),
        contrast=_span(root.find("{*}ContrastSupport")),
    )


def read_status(data: bytes) -> Status:
    """What `ScannerStatus` answers (raises ProtocolError)."""
    root = _parsed(data, "ScannerStatus")
    jobs = []
    for each in root.iterfind(".//{*}JobInfo"):
        sent = _text(each, "ImagesCompleted")
        jobs.append(
            JobInfo(
                path_of(_text(each, "JobUri")),
                _text(each, "JobState"),
                int(sent) if sent.isascii() and sent.isdigit() and len(sent) < 9 else None,
                tuple(r.text.strip() for r in each.iterfind(".//{*}JobStateReason") if r.text),
            )
        )
    return Status(_text(root, "State"), _text(root, "AdfState"), tuple(jobs))


def path_of(uri: str) -> str:
    """The path of a job, whatever host its device names: only the address that the clerk knows is spoken to."""
    rest = uri.split("://", 1)[-1] if "://" in uri else uri
    path = rest[rest.find("/") :] if "/" in rest else ""
    return path if path.startswith("/") and ".." not in path and len(path) < 300 and path.isprintable() else ""


def write_settings(wish: Wish, can: Capabilities, colour: Colour, dpi: int | None = None) -> bytes:
    """`ScanSettings` for a wish, within what the device offers.

    Parameters
    ----------
    colour : Colour
        What automatic has come to.
    dpi : int, optional
        Instead of the wish's, as for a preview.

    Raises
    ------
    ProtocolError
        If the device cannot scan so.
    """
    taken = can.input(wish.source, wish.sides)
    if taken is None:
        what = "a glass" if wish.source == "flatbed" else "both sides" if wish.sides is Sides.BOTH else "a feeder"
        raise ProtocolError(f"it has no way to scan {what}" if what == "both sides" else f"it has no {what[2:]}")
    root = etree.Element(f"{{{SCAN}}}ScanSettings", nsmap={"scan": SCAN, "pwg": PWG})

    def put(parent: etree._Element, namespace: str, name: str, text: str = "") -> etree._Element:
        child = etree.SubElement(parent, f"{{{namespace}}}{name}")
        child.text = text or None
        return child

    put(root, PWG, "Version", can.version or VERSION)
    put(root, SCAN, "Intent", "Document")
    area = wish.area(taken.width, taken.height)
    region = put(put(root, PWG, "ScanRegions"), PWG, "ScanRegion")
    put(region, PWG, "ContentRegionUnits", "escl:ThreeHundredthsOfInches")
    for name, value in (
        ("Height", area.height), ("Width", area.width), ("XOffset", area.left), ("YOffset", area.top),
    ):  # fmt: skip
        put(region, PWG, name, str(round(value / MM * UNITS)))
    put(root, PWG, "InputSource", "Platen" if wish.source == "flatbed" else "Feeder")
    if wish.source == "feeder":
        put(root, SCAN, "Duplex", "true" if wish.sides is Sides.BOTH else "false")
    put(root, SCAN, "ColorMode", COLOURS[colour])
    resolution = nearest(taken.resolutions, dpi or wish.dpi)
    put(root, SCAN, "XResolution", str(resolution))
    put(root, SCAN, "YResolution", str(resolution))
    picked = next((f for f in FORMATS if f in taken.formats), FORMATS[0])
    put(root, PWG, "DocumentFormat", picked)
    put(root, SCAN, "DocumentFormatExt", picked)
    for name, span, share in (
        ("Brightness", can.brightness, wish.brightness),
        ("Contrast", can.contrast, wish.contrast),
    ):
        if span and share:
            put(root, SCAN, name, str(span.at(share)))
    return etree.tostring(root, xml_declaration=True, encoding="UTF-8")


def colour_for(wanted: Colour, taken: Input) -> Colour:
    """The device's colours for those that are wanted: colour loses nothing, so it stands for automatic."""
    order = {
        Colour.AUTOMATIC: (Colour.COLOUR, Colour.GREY, Colour.ONE_BIT),
        Colour.COLOUR: (Colour.COLOUR, Colour.GREY, Colour.ONE_BIT),
        Colour.GREY: (Colour.GREY, Colour.COLOUR, Colour.ONE_BIT),
        Colour.ONE_BIT: (Colour.ONE_BIT, Colour.GREY, Colour.COLOUR),
    }[wanted]
    return next((c for c in order if c in taken.colours), Colour.COLOUR)


def nearest(offered: tuple[int, ...], dpi: int) -> int:
    """The least resolution offered that is not below the wanted one, or the highest."""
    return min((r for r in offered if r >= dpi), default=max(offered, default=dpi))


def _parsed(data: bytes, name: str) -> etree._Element:
    if len(data) > LONGEST:
        raise ProtocolError(f"its {name} is longer than any is")
    try:
        parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
        root = etree.fromstring(data, parser)
    except (etree.XMLSyntaxError, ValueError) as error:
        raise ProtocolError(f"its {name} is no XML") from error
    if etree.QName(root).localname != name:
        raise ProtocolError(f"it answers {etree.QName(root).localname[:40]} where {name} was asked")
    return root


def _text(parent: etree._Element, name: str) -> str:
    found = parent.findtext(f"{{*}}{name}")
    return found.strip() if found else ""


def _number(parent: etree._Element | None, name: str) -> int | None:
    text = _text(parent, name) if parent is not None else ""
    return int(text) if text.lstrip("-").isascii() and text.lstrip("-").isdigit() and len(text) < 9 else None


def _input(told: etree._Element | None) -> Input | None:
    if told is None:
        return None
    width, height = _number(told, "MaxWidth"), _number(told, "MaxHeight")
    if width is None or height is None or not (0 < width <= MOST_UNITS and 0 < height <= MOST_UNITS):
        raise ProtocolError("it states no size of its sheets that can be")
    resolutions = {int(t) for r in told.iterfind(".//{*}XResolution") if (t := (r.text or "").strip()).isdigit()}
    for span in told.iterfind(".//{*}XResolutionRange"):
        least, most, step = (_number(span, name) for name in ("Min", "Max", "Step"))
        if least and most and 0 < least <= most:
            resolutions |= {r for r in (75, 100, 150, 200, 300, 400, 600, 1200) if least <= r <= most}
            resolutions |= {least, most} if step else {most}
    usual = tuple(sorted(r for r in resolutions if 50 <= r <= 4800))
    if not usual:
        raise ProtocolError("it offers no resolution")
    named = {code: colour for colour, code in COLOURS.items()}
    modes = [(c.text or "").strip() for c in told.iterfind(".//{*}ColorMode")]
    colours = tuple(dict.fromkeys(named[m] for m in modes if m in named))
    kinds = [*told.iterfind(".//{*}DocumentFormat"), *told.iterfind(".//{*}DocumentFormatExt")]
    formats = tuple(dict.fromkeys((f.text or "").strip() for f in kinds))
    if not colours or not any(f in FORMATS for f in formats):
        raise ProtocolError("it offers no colours or file format that are known here")
    return Input(width / UNITS * MM, height / UNITS * MM, usual, colours, formats)


def _span(told: etree._Element | None) -> Span | None:
    least, most, normal = (_number(told, name) for name in ("Min", "Max", "Normal"))
    if least is None or most is None or least >= most:
        return None
    return Span(least, most, normal if normal is not None and least <= normal <= most else (least + most) // 2)
