"""Page labels and particulars: as the standard counts, as they are printed, as they leave the house."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pikepdf
import pypdfium2
import pytest
from docx import Document
from fastapi.testclient import TestClient

from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.model.content import Role
from hyalen.core.model.document import LabelRange, LabelStyle, Particulars
from hyalen.core.structure.labels import numeral, page_labels, proposed_labels
from hyalen.core.structure.tree import StructureTree
from hyalen.store.store import Store
from hyalen.web.app import make_app
from tests.conftest import ContentMaker, Judge
from tests.helpers import HERE, read_document

SMALL = LabelStyle.SMALL_ROMAN
BUNDLE = [
    LabelRange(first=0, style=SMALL),
    LabelRange(first=2),
    LabelRange(first=4, style=LabelStyle.SMALL_LETTERS, prefix="2"),
    LabelRange(first=6, start=3),
]


def test_labels_of_the_standards_example() -> None:
    """ISO 32000-1, 12.4.2, example: i, ii, iii, iv, 1, 2, 3, A-8, A-9."""
    told = [LabelRange(first=0, style=SMALL), LabelRange(first=4), LabelRange(first=7, prefix="A-", start=8)]
    assert page_labels(told, 9) == ["i", "ii", "iii", "iv", "1", "2", "3", "A-8", "A-9"]
    assert page_labels(BUNDLE, 8) == ["i", "ii", "1", "2", "2a", "2b", "3", "4"]
    assert page_labels([], 2) == ["1", "2"] and page_labels([LabelRange(first=1, style=SMALL)], 2) == ["1", "i"]


@pytest.mark.parametrize(
    ("value", "style", "wanted"),
    [(4, SMALL, "iv"), (1999, LabelStyle.ROMAN, "MCMXCIX"), (26, LabelStyle.LETTERS, "Z"), (27, LabelStyle.SMALL_LETTERS, "aa"),
     (53, LabelStyle.SMALL_LETTERS, "aaa"), (7, LabelStyle.NONE, "")],
)  # fmt: skip
def test_numerals(value: int, style: LabelStyle, wanted: str) -> None:
    """Letters run a to z, then aa to zz (ISO 32000-1, table 159)."""
    assert numeral(value, style) == wanted


@pytest.mark.parametrize(
    ("printed", "labels"),
    [
        ([None, "2", "3", None, "5"], ["1", "2", "3", "4", "5"]),
        (["i", "ii", None, "1", "2", "3"], ["i", "ii", "iii", "1", "2", "3"]),
        (["23", "24", "24a", "24b", "25", "26"], ["23", "24", "24a", "24b", "25", "26"]),
        (["– 7 –", "8", "88", "10", "Page 11"], ["7", "8", "9", "10", "11"]),
        (["12", None, "VII", "nothing"], ["1", "2", "3", "4"]),
        ([None, None], ["1", "2"]),
    ],
)
def test_labels_are_proposed_from_what_is_printed(printed: list[str | None], labels: list[str]) -> None:
    """A number that no other bears out, as 88 and 12, counts for nothing."""
    assert page_labels(proposed_labels(printed), len(printed)) == labels


def test_labels_and_particulars_are_in_what_is_delivered(judge: Judge, tmp_path: Path) -> None:
    """Read back by other libraries, and by the reference validator where it is there."""
    pages = [ContentMaker().add(Role.HEADING_1, "The lamps").page()] + [
        ContentMaker().add(Role.PARAGRAPH, "of oil").page()
    ] * 7
    told = Particulars(
        author="Board & Sons",
        subject="Lamps",
        keywords="lamps, oil",
        reference="SLB 14/3",
        rights="None <reserved>",
        date="about 1931",
    )
    tree = StructureTree("The lamps", "eng", pages, labels=BUNDLE, particulars=told)
    scan = encode_jpeg(np.full((3508, 2480), 255, np.uint8))
    made = {}
    for name in ("pdf", "docx"):
        file = io.BytesIO()
        FORMATS[name].write(tree, lambda _: scan, file, DeliveryOptions())
        made[name] = file.getvalue()
    read = pypdfium2.PdfDocument(made["pdf"])
    assert [read.get_page_label(i) for i in range(8)] == page_labels(BUNDLE, 8)
    with pikepdf.open(io.BytesIO(made["pdf"])) as pdf:
        assert (pdf.docinfo["/Author"], pdf.docinfo["/Keywords"]) == ("Board & Sons", "lamps, oil")
        with pdf.open_metadata() as xmp:
            assert (xmp["dc:creator"], xmp["dc:description"], xmp["dc:identifier"]) == (
                ["Board & Sons"],
                "Lamps",
                "SLB 14/3",
            )
            assert (xmp["dc:rights"], xmp["pdf:Keywords"]) == ("None <reserved>", "lamps, oil")
    properties = Document(io.BytesIO(made["docx"])).core_properties
    assert (properties.author, properties.identifier) == ("Board & Sons", "SLB 14/3")
    path = tmp_path / "labelled.pdf"
    path.write_bytes(made["pdf"])
    judge.accepts(path)


def test_labels_are_set_proposed_and_undone(tmp_path: Path) -> None:
    store = Store(tmp_path / "data")
    read_document(
        store,
        [ContentMaker().add(Role.PARAGRAPH, f"word {i}").add(Role.PAGE_NUMBER, str(i + 7)).page() for i in range(3)],
    )
    before = store.deliveries.edition(1)
    store.close()
    with TestClient(make_app(tmp_path / "data", workers=1), base_url=HERE) as client:
        assert client.get("/api/documents/1").json()["labels"] == ["1", "2", "3"]
        ranges = client.get("/api/documents/1/printed-labels").json()
        revision = client.get("/api/documents/1").json()["revision"]
        change = {"revision": revision, "ranges": ranges, "particulars": {"author": "The Board"}}
        told = client.patch("/api/documents/1", json=change).json()
        assert told["labels"] == ["7", "8", "9"] and told["particulars"]["author"] == "The Board"
        assert told["undo"]["label"] == "particulars of the document"
        for _ in range(2):
            undo = client.get("/api/documents/1").json()["undo"]
            client.post("/api/documents/1/undo", json={"change": undo["id"]})
        told = client.get("/api/documents/1").json()
        assert told["labels"] == ["1", "2", "3"] and told["particulars"]["author"] == ""
        bad = {"revision": told["revision"], "ranges": [{"first": -1}]}
        assert client.patch("/api/documents/1", json=bad).status_code == 422
    store = Store(tmp_path / "data")
    assert store.deliveries.edition(1) == before
    store.settings.label_pages(1, BUNDLE[:2])
    assert store.deliveries.edition(1) != before  # what was made is not up to date
