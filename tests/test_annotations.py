"""Annotations and form fields of pages that are delivered as they came: seen as they were, still fields, in their place."""

from __future__ import annotations

import subprocess
from pathlib import Path

import numpy as np
import pikepdf
import pypdfium2
import pytest
import reportlab
from pikepdf import Array, Dictionary, Name, String
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from hyalen.core.formats.codecs import decode, encode_jpeg
from hyalen.core.formats.format import DeliveryOptions, Standard
from hyalen.core.formats.pdf import write_pdf
from hyalen.core.formats.read_pdf import pdf_cautions, read_pdf_page
from hyalen.core.formats.source import Limits
from hyalen.core.model.document import OwnPage, Part
from hyalen.core.structure.tree import StructureTree
from tests.conftest import Judge
from tests.test_born_digital import SAMPLES, own

FONT = Path(reportlab.__file__).parent / "fonts" / "Vera.ttf"


@pytest.fixture(scope="module")
def form(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Labels in a font that lies within, fields in one that does not, a mark and a note, and what nobody sees."""
    path = tmp_path_factory.mktemp("form") / "form.pdf"
    pdfmetrics.registerFont(TTFont("Vera", str(FONT)))
    canvas = Canvas(str(path))
    canvas.setFont("Vera", 11)
    fields = canvas.acroForm
    canvas.drawString(72, 700, "Name of the keeper at Torgrunn station")
    fields.textfield(name="keeper", value="Ingrid Vael", tooltip="Keeper", x=360, y=692, width=150, height=20)
    canvas.drawString(72, 655, "The lamp was lit through the gale")
    fields.checkbox(name="lit", checked=True, x=360, y=650, size=20)
    canvas.drawString(72, 615, "Remarks of the inspector of lights")
    fields.textfield(name="remarks", value="", x=360, y=610, width=150, height=20)
    canvas.drawString(72, 575, "Oil that was burnt in the night")
    for x, value in ((360, "colza"), (400, "paraffin")):
        fields.radio(name="oil", value=value, x=x, y=570, selected=value == "colza")
    canvas.save()
    with pikepdf.open(path, allow_overwriting_input=True) as pdf:
        notes = pdf.pages[0].obj.Annots
        quad = Array([72, 668, 300, 668, 72, 650, 300, 650])
        for told in (
            Dictionary(Type=Name.Annot, Subtype=Name.Highlight, Rect=Array([72, 650, 300, 668]), QuadPoints=quad, C=Array([1, 1, 0]), F=4, Contents=String("Check the log")),
            Dictionary(Type=Name.Annot, Subtype=Name.Text, Rect=Array([30, 690, 50, 710]), C=Array([1, 0, 0]), F=2, Contents=String("Nobody sees this")),
            Dictionary(Type=Name.Annot, Subtype=Name.Screen, Rect=Array([30, 590, 50, 610])),
        ):  # fmt: skip
            notes.append(pdf.make_indirect(told))
        pdf.save(path)
    return path


def delivered(path: Path, out: Path, standard: Standard = Standard.PDF_1_7, **more: frozenset[str]) -> Path:
    image = read_pdf_page(path, 0, Limits()).original
    tree = StructureTree("Form", "eng", [own(path)], own_pages={0: OwnPage(str(path), 0)}, **more)  # type: ignore[arg-type]
    with out.open("w+b") as file:
        write_pdf(tree, lambda _: encode_jpeg(decode(image)), file, DeliveryOptions(standard=standard))
    return out


def seen(path: Path) -> np.ndarray[tuple[int, ...], np.dtype[np.uint8]]:
    with pypdfium2.PdfDocument(path) as document:
        document.init_forms()
        return np.asarray(document[0].render(scale=1).to_pil().convert("L"))


@pytest.mark.parametrize("standard", Standard)
@pytest.mark.parametrize("name", ["form", "libreoffice-form", "commented"])
def test_fields_and_notes_are_tagged_and_seen(
    tmp_path: Path, form: Path, judge: Judge, name: str, standard: Standard
) -> None:
    """By the reference validator; the same picture by pdfium before and after, and fields by poppler."""
    path = form if name == "form" else next(iter(SAMPLES.rglob(f"{name}.pdf")))
    made = delivered(path, tmp_path / "a.pdf", standard)
    judge.accepts(made)
    if name != "commented":  # what notes look like without an appearance of their own is each viewer's
        assert np.abs(seen(path).astype(int) - seen(made)).mean() < 1.0
    with pikepdf.open(path) as before, pikepdf.open(made) as after:
        fields = {"/Widget"} & {str(a.Subtype) for a in before.pages[0].obj.Annots}
        assert ("/AcroForm" in after.Root) == bool(fields)
        for note in after.pages[0].obj.Annots:
            assert str(note.Contents) and "/StructParent" in note and not {"/A", "/AA", "/Popup"} & set(note.keys())
    told = subprocess.run(["pdfinfo", str(made)], capture_output=True, text=True, check=True).stdout
    assert ("AcroForm" in told) == bool(fields)


def test_a_field_stands_after_its_label_and_keeps_what_it_holds(tmp_path: Path, form: Path) -> None:
    content = own(form)
    assert content.regions[0].text == "Name of the keeper at Torgrunn station Ingrid Vael"
    with pikepdf.open(delivered(form, tmp_path / "a.pdf")) as pdf:
        fields = {str(f.T): f for f in pdf.Root.AcroForm.Fields}
        assert set(fields) == {"keeper", "lit", "remarks", "oil"}
        assert str(fields["keeper"].V) == "Ingrid Vael" and str(fields["keeper"].TU) == "Keeper"
        assert str(fields["lit"].AS) == "/Yes" and len(fields["oil"].Kids) == 2 and str(fields["oil"].V) == "/colza"
        order = []
        for element in pdf.Root.StructTreeRoot.K[0].K:
            kid = element.K[0] if len(element.K) else None
            if isinstance(kid, Dictionary) and "/S" in kid:
                note = kid.K[0].Obj
                order.append(str(note.get("/T") or note.get("/Parent", note).get("/T") or note.Contents))
            else:
                order.append("text")
        assert order == ["text", "keeper", "text", "lit", "Check the log", "text", "remarks", "text", "oil", "oil"]


def test_the_same_form_in_two_documents_stays_two(tmp_path: Path, form: Path) -> None:
    """Each is filled in otherwise: fields of one name would have one value."""
    page, image = own(form), read_pdf_page(form, 0, Limits()).original
    came = OwnPage(str(form), 0)
    parts = [Part(0, 1, "A", "eng"), Part(1, 2, "B", "eng")]
    tree = StructureTree("Forms", "eng", [page, page], own_pages={0: came, 1: came}, parts=parts)
    with (tmp_path / "a.pdf").open("w+b") as file:
        write_pdf(tree, lambda _: encode_jpeg(decode(image)), file, DeliveryOptions())
    with pikepdf.open(tmp_path / "a.pdf") as pdf:
        names = [str(f.T) for f in pdf.Root.AcroForm.Fields]
    assert len(names) == len(set(names)) == 8 and {"1_keeper", "2_keeper"} <= set(names)


def test_what_is_redacted_elsewhere_is_not_told_by_a_note(tmp_path: Path, form: Path) -> None:
    made = delivered(form, tmp_path / "a.pdf", withheld=frozenset({"keeper", "log"}))
    with pikepdf.open(made) as pdf:
        told = [str(n.get(k, "")) for n in pdf.pages[0].obj.Annots for k in ("/Contents", "/TU")]
    assert not any("Keeper" in t or "log" in t for t in told) and any("[redacted]" in t for t in told)


def test_what_fields_hold_is_seen_on_the_page_that_is_read(form: Path) -> None:
    page = decode(read_pdf_page(form, 0, Limits()).original)
    inside = page[round((842 - 708) * 300 / 72) : round((842 - 696) * 300 / 72), round(364 * 300 / 72) : round(440 * 300 / 72)]  # fmt: skip
    assert inside.min() < 90


def test_attached_files_that_stay_behind_are_told() -> None:
    (path,) = SAMPLES.rglob("attachment.pdf")
    assert any("attached" in c for c in pdf_cautions(path))
