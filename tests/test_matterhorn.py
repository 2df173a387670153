"""The machine's conditions of the Matterhorn Protocol that our writer must never meet: files as written, and broken ones.

Numbers and conditions are from memory of the Matterhorn Protocol 1.1; docs/matterhorn.md has all of them. The check
here knows nothing of the writer: it reads the file.
"""

from __future__ import annotations

import io
import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pytest
from pikepdf import Array, Dictionary, Name, String

from hyalen.core.accessibility.catalogue import RULES
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.model.content import Role
from hyalen.core.structure.tree import StructureTree
from tests.conftest import ContentMaker, Judge

DOC = Path(__file__).parent.parent / "docs" / "matterhorn.md"
CHILDREN = {  # ISO 32000-1, tables 333, 336 and 337
    "/Table": {"/TR", "/Caption", "/THead", "/TBody", "/TFoot"},
    "/TR": {"/TH", "/TD"},
    "/L": {"/LI", "/Caption", "/L"},
    "/LI": {"/Lbl", "/LBody"},
    "/TOC": {"/TOCI", "/TOC", "/Caption"},
}
PARENTS = {"/TR": {"/Table"}, "/TH": {"/TR"}, "/TD": {"/TR"}, "/LI": {"/L"}, "/Lbl": {"/LI", "/TOCI", "/Note"}, "/LBody": {"/LI"}, "/TOCI": {"/TOC"}}  # fmt: skip
GROUP = {"/Table": "09-004", "/TR": "09-004", "/TH": "09-004", "/TD": "09-004", "/TOC": "09-006", "/TOCI": "09-006"}
STANDARD = {
    "/Document", "/H1", "/H2", "/H3", "/H4", "/H5", "/H6", "/P", "/L", "/LI", "/Lbl", "/LBody", "/Table", "/TR", "/TH",
    "/TD", "/TOC", "/TOCI", "/Figure", "/Formula", "/Caption", "/Note", "/Reference", "/Link", "/Span", "/BlockQuote",
}  # fmt: skip


def written() -> pikepdf.Pdf:
    """A document with one of each thing."""
    first = ContentMaker().add(Role.HEADING_1, "The lamps").add(Role.CONTENTS_ENTRY, "Of the oil 2")
    first.add(Role.LIST_ITEM, "1. One").add(Role.LIST_ITEM, "(a) part", depth=1).add(Role.QUOTATION, "Light is duty")
    first.add(Role.PARAGRAPH, "The lamp burnt* at www.lights.example and no more").add(Role.NOTE, "* in May")
    first.add(Role.RUNNING_HEAD, "Report").figure("A tower").add(Role.CAPTION, "Figure 1. The tower")
    second = ContentMaker().add(Role.HEADING_2, "Of the oil").table([["Station", "Oil"], ["Torgrunn", "4"]])
    second.add(Role.PARAGRAPH, "Un avis", language="fra")
    image = encode_jpeg(np.full((351, 248), 240, np.uint8))
    file = io.BytesIO()
    tree = StructureTree("Lamps", "eng", [first.page(), second.page()], abbreviations={"Report": "The report"})
    FORMATS["pdf"].write(tree, lambda _: image, file, DeliveryOptions())
    return pikepdf.open(file)


def elements(pdf: pikepdf.Pdf) -> Iterator[tuple[Any, Any]]:
    """Each structure element with its parent."""

    def walk(parent: Any) -> Iterator[tuple[Any, Any]]:
        for child in parent.get("/K", []):
            if isinstance(child, Dictionary) and "/S" in child:
                yield parent, child
                yield from walk(child)

    yield from walk(pdf.Root.StructTreeRoot)


def met(pdf: pikepdf.Pdf) -> set[str]:
    """The conditions that a file meets, of those that a machine can tell and that could occur here."""
    found: set[str] = set()
    root = pdf.Root
    found |= {"06-001"} if "/Metadata" not in root else _of_metadata(bytes(root.Metadata.read_bytes()))
    viewer = root.get("/ViewerPreferences", Dictionary())
    found |= {"07-001"} if "/DisplayDocTitle" not in viewer else set() if viewer.DisplayDocTitle else {"07-002"}
    if root.get("/MarkInfo", Dictionary()).get("/Suspects", False):
        found.add("01-007")
    if "/Lang" not in root:
        found.add("11-006")
    if pdf.is_encrypted:
        found.add("26-001")
    names: list[str] = []
    before = 0
    linked = []
    for parent, element in elements(pdf):
        kind, above = str(element.S), str(parent.get("/S", ""))
        if kind not in STANDARD:
            found.add("02-001")
        if (kind in PARENTS and above not in PARENTS[kind]) or (above in CHILDREN and kind not in CHILDREN[above]):
            found.add(GROUP.get(kind, GROUP.get(above, "09-005")))
        if kind == "/Figure" and not str(element.get("/Alt", "")):
            found.add("13-004")
        if kind == "/Formula" and not str(element.get("/Alt", "")):
            found.add("17-002")
        if level := re.fullmatch(r"/H([1-6])", kind):
            found |= {"14-002"} if not before and level[1] != "1" else set()
            found |= {"14-003"} if before and int(level[1]) > before + 1 else set()
            before = int(level[1])
        if kind == "/TH" and "/Scope" not in element.get("/A", Dictionary()):
            found.add("15-003")
        if kind == "/Note":
            names.append(str(element.get("/ID", "")))
        if kind == "/Link":
            linked += [str(k.Obj.objgen) for k in element.K if isinstance(k, Dictionary) and k.get("/Type") == "/OBJR"]
    found |= {"19-003"} if "" in names else {"19-004"} if len(set(names)) < len(names) else set()
    for page in pdf.pages:
        found |= _of_page(page, linked)
    return found


def _of_metadata(data: bytes) -> set[str]:
    found = set()
    if b"pdfuaid:part>1<" not in data:
        found.add("06-002")
    if not re.search(rb"<dc:title>\s*<rdf:Alt>\s*<rdf:li[^>]*>[^<]+</rdf:li>", data):
        found.add("06-003")
    return found


def _of_page(page: pikepdf.Page, linked: list[str]) -> set[str]:
    found: set[str] = set()
    notes = list(page.obj.get("/Annots", []))
    if notes and "/Tabs" not in page.obj:
        found.add("28-008")
    elif notes and page.obj.Tabs != "/S":
        found.add("28-009")
    for note in notes:
        found |= {"28-002"} if note.Subtype != "/Link" else set()
        found |= {"28-011"} if str(note.objgen) not in linked else set()
        found |= {"28-012"} if not str(note.get("/Contents", "")) else set()
    marks: list[str] = []
    for operands, operator in pikepdf.parse_content_stream(page):
        name = str(operator)
        if name in ("BDC", "BMC"):
            kind = "artifact" if operands[0] == "/Artifact" else "tagged"
            found |= {"01-003"} if kind == "artifact" and "tagged" in marks else set()
            found |= {"01-004"} if kind == "tagged" and "artifact" in marks else set()
            marks.append(kind)
        elif name == "EMC":
            marks.pop()
        elif name in ("Tj", "TJ", "Do", "f", "S") and not marks:
            found.add("01-005")
    return found


def element(pdf: pikepdf.Pdf, kind: str) -> Any:
    return next(e for _, e in elements(pdf) if kind == e.S)


def content(pdf: pikepdf.Pdf, change: Callable[[bytes], bytes]) -> None:
    page = pdf.pages[0]
    page.Contents = pdf.make_stream(change(page.Contents.read_bytes()))


def metadata(pdf: pikepdf.Pdf, old: bytes, new: bytes) -> None:
    pdf.Root.Metadata = pdf.make_stream(pdf.Root.Metadata.read_bytes().replace(old, new))


def _rename(kind: str, new: str) -> Callable[[pikepdf.Pdf], None]:
    def change(pdf: pikepdf.Pdf) -> None:
        element(pdf, kind).S = Name(new)

    return change


def _without(kind: str, key: str) -> Callable[[pikepdf.Pdf], None]:
    def change(pdf: pikepdf.Pdf) -> None:
        del element(pdf, kind)[key]

    return change


BROKEN: dict[str, Callable[[pikepdf.Pdf], Any]] = {
    "01-003": lambda p: content(p, lambda c: c.replace(b"BDC\nBT", b"BDC\n/Artifact BMC EMC BT", 3)),
    "01-004": lambda p: content(p, lambda c: c.replace(b"/H1 <<", b"/Artifact BMC /H1 <<", 1) + b" EMC"),
    "01-005": lambda p: content(p, lambda c: c + b"\n0 0 5 5 re f"),
    "01-007": lambda p: p.Root.MarkInfo.__setitem__("/Suspects", True),
    "02-001": _rename("/BlockQuote", "/Motto"),
    "06-001": lambda p: p.Root.__delitem__("/Metadata"),
    "06-002": lambda p: metadata(p, b"pdfuaid:part", b"other:part"),
    "06-003": lambda p: metadata(p, b"dc:title", b"dc:relation"),
    "07-001": lambda p: p.Root.__delitem__("/ViewerPreferences"),
    "07-002": lambda p: p.Root.ViewerPreferences.__setitem__("/DisplayDocTitle", False),
    "09-004": _rename("/TR", "/P"),
    "09-005": _rename("/LBody", "/P"),
    "09-006": _rename("/TOCI", "/P"),
    "11-006": lambda p: p.Root.__delitem__("/Lang"),
    "13-004": _without("/Figure", "/Alt"),
    "14-002": _rename("/H1", "/H2"),
    "14-003": _rename("/H2", "/H3"),
    "15-003": _without("/TH", "/A"),
    "17-002": _rename("/BlockQuote", "/Formula"),
    "19-003": _without("/Note", "/ID"),
    "19-004": lambda p: element(p, "/Document").K.append(Dictionary(S=Name.Note, ID=element(p, "/Note").ID, K=Array())),
    "28-002": lambda p: p.pages[0].Annots[0].__setitem__("/Subtype", Name.Text),
    "28-008": lambda p: p.pages[0].obj.__delitem__("/Tabs"),
    "28-009": lambda p: p.pages[0].obj.__setitem__("/Tabs", Name.R),
    "28-011": _rename("/Link", "/Span"),
    "28-012": lambda p: p.pages[0].Annots[0].__setitem__("/Contents", String("")),
}


def test_a_file_as_it_is_written_meets_no_condition() -> None:
    pdf = written()
    assert met(pdf) == set()
    assert len(pdf.pages[0].Annots) == 3  # of the contents, the note and the address


@pytest.mark.parametrize("condition", BROKEN)
def test_a_broken_file_is_found(condition: str) -> None:
    """That nothing is found in what is written means something only if it would be."""
    pdf = written()
    BROKEN[condition](pdf)
    assert condition in met(pdf)


def test_the_reference_validator_finds_the_same_files_broken(tmp_path: Path, judge: Judge) -> None:
    """Both directions: it accepts what is written, and nothing that is found here to be broken."""
    sound = tmp_path / "sound.pdf"
    written().save(sound)
    judge.accepts(sound)
    reference = Judge(tmp_path)
    for condition, change in BROKEN.items():
        pdf = written()
        change(pdf)
        pdf.save(tmp_path / f"{condition}.pdf")
        reference.cases.append(f"ua1:{tmp_path / condition}.pdf")
    failed = {path for path in (re.search(r"(\d\d-\d{3})\.pdf", line) for line in reference.findings()) if path}
    assert {path[1] for path in failed} == set(BROKEN)


def test_every_condition_is_told_and_rules_say_theirs() -> None:
    rows = dict(re.findall(r"^\| (\d\d-\d{3})\S* \| [HM] \| .+? \| (.+?) \|$", DOC.read_text("utf8"), re.MULTILINE))
    assert len(rows) == 106 and all(rows.values())  # the thirty of fonts are one row
    assert set(BROKEN) <= set(rows)
    for rule in RULES.values():
        assert not rule.protocol or f"`{rule.id}`" in rows[rule.protocol], rule.id
