"""PDF files: a page that is one scanned image gives that image's own bytes, others are rendered."""

from __future__ import annotations

import ctypes
import io
import math
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from itertools import islice
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import pikepdf
import pypdfium2
import pypdfium2.raw as pdfium
from pikepdf.models.image import NotExtractableError, UnsupportedImageTypeError
from PIL import Image as Pillow

from hyalen.core.formats.codecs import decode, encode_png, heard, judged, letters_of, to_array
from hyalen.core.formats.source import Limits, SourceError, SourcePage, blamed, brief, check_pixels
from hyalen.core.imaging.resolution import settle_resolution
from hyalen.core.model.document import PageKind

RENDER_DPI = 300.0
LEAST_TEXT = 10  # letters and digits that make a page born digital; a scanner's stamp has fewer
PLAIN = (
    20  # marks at most beside the text of a page without images, where any text does: more may be letters as outlines
)
INVISIBLE = 3  # text rendering mode, ISO 32000-1, 9.3.6
MOST_OBJECTS = 50_000  # of a page that are counted
COVERING = 0.9  # of the page, under an image that hides what was drawn before it
DEEPEST = 30  # forms within forms; sound pages have three or four
MOST_NOTED = 2_000  # pages that are looked through for attached files
MOST_FIELDS = 10_000  # of a form that are gone through
MOST_IMAGES = 50  # of a page whose data is tried
# Group 4 code of a row with black in it (ITU-T T.6: horizontal mode, a white and a black run), over and over.
MORE_ROWS = bytes([0b00100110, 0b10101100]) * 64
_OPERATORS = (
    "b B b* B* BDC BI BMC BT BX c cm CS cs d d0 d1 Do DP EI EMC ET EX f F f* G g gs h i ID j J K k l m M MP n q Q re RG "
    "rg ri s S sc SC scn SCN sh T* Tc Td TD Tf Tj TJ TL Tm Tr Ts Tw Tz v w W W* y ' \""
)
OPERATORS = {*_OPERATORS.split(), "INLINE IMAGE"}  # of a page description; ISO 32000-1, annex A
READABLE = {"/FlateDecode", "/LZWDecode", "/RunLengthDecode", "/ASCII85Decode", "/ASCIIHexDecode"}


class PageMake(NamedTuple):
    """What a page is made of: visible and hidden text characters, images, other visible marks."""

    characters: int
    hidden: int
    images: tuple[Any, ...]
    marks: int


class Locked(SourceError):
    """A file that opens with a password only."""


def unlocked(path: Path, password: str, out: Path) -> None:
    """Write a file without its encryption.

    Raises
    ------
    Locked
        If the password is not the file's.
    SourceError
        If it is damaged.
    """
    with blamed("the PDF"), heard():
        try:
            with pikepdf.open(path, password=password) as pdf:
                pdf.save(out, encryption=False)
        except pikepdf.PasswordError as error:
            raise Locked("the PDF is encrypted and this is not its password; try another") from error


def pdf_cautions(path: Path) -> list[str]:
    """What is to be known before something is made of the file: signatures that will be lost, what its maker forbids.

    ISO 32000-1, table 22 (permissions) and 12.8 (signatures).
    """
    with blamed("the PDF"), heard(), pikepdf.open(path) as pdf:
        found = [f"it is signed{by}; what is made of it is another file, without the signature" for by in _signers(pdf)]
        if pdf.is_encrypted:
            allowed = pdf.allow
            forbidden = [
                what
                for what, may in (
                    ("to change it", allowed.modify_other),
                    ("to copy its text", allowed.extract),
                    ("to print it", allowed.print_lowres),
                )
                if not may
            ]
            if forbidden:
                found.append(f"its maker forbids {', '.join(forbidden)}; what is made of it has no such lock")
        if _runs_scripts(pdf):
            found.append("it runs scripts, which do not go along: what they reckon or check is as it stands now")
        form: Any = pdf.Root.get("/AcroForm", pikepdf.Dictionary())
        if "/XFA" in form:
            found.append("its form is of a kind that few programs read (XFA); what its pages show is what is delivered")
        attached = len(pdf.attachments) + _attached_by_notes(pdf)
        if attached:
            found.append(
                f"{attached} {'file is' if attached == 1 else 'files are'} attached to it, which do not go along"
            )
        return found


def _runs_scripts(pdf: pikepdf.Pdf) -> bool:
    """Whether the document has scripts of its own, or one that runs when it is opened (12.6.4.16)."""
    names: Any = pdf.Root.get("/Names", pikepdf.Dictionary())
    opening: Any = pdf.Root.get("/OpenAction")
    opens = isinstance(opening, pikepdf.Dictionary) and opening.get("/S") == "/JavaScript"
    return "/JavaScript" in names or opens or "/AA" in pdf.Root


def _attached_by_notes(pdf: pikepdf.Pdf) -> int:
    pages = islice(pdf.pages, MOST_NOTED)
    notes: Iterator[Any] = (n for page in pages for n in page.obj.get("/Annots", pikepdf.Array()))
    return sum(isinstance(n, pikepdf.Dictionary) and n.get("/Subtype") == "/FileAttachment" for n in notes)


def _signers(pdf: pikepdf.Pdf) -> list[str]:
    """For each signature, by whom and when, as far as it tells."""
    found = []
    form: Any = pdf.Root.get("/AcroForm", pikepdf.Dictionary())
    waiting: list[Any] = list(form.get("/Fields", []))
    for _ in range(MOST_FIELDS):
        if not waiting:
            break
        field = waiting.pop()
        waiting += list(field.get("/Kids", []))
        if field.get("/FT") == "/Sig" and isinstance(field.get("/V"), pikepdf.Dictionary):
            name, date = str(field.V.get("/Name", "")), str(field.V.get("/M", ""))
            found.append(
                (f" by {name}" if name else "") + (f" on {date[2:6]}-{date[6:8]}-{date[8:10]}" if date else "")
            )
    return sorted(found)


def count_pdf_pages(path: Path, limits: Limits) -> int:
    """Pages of the file.

    Raises
    ------
    SourceError
        If it is encrypted, damaged, without pages or has too many.
    """
    with blamed("the PDF"), heard():
        try:
            with pikepdf.open(path) as pdf:
                count = len(pdf.pages)
        except pikepdf.PasswordError as error:
            raise Locked("the PDF is encrypted and needs a password") from error
    if count == 0:
        raise SourceError("the PDF has no pages; make or copy it again")
    if count > limits.pages:
        raise SourceError(f"the PDF has {count} pages, more than the limit of {limits.pages}; split it first")
    return count


def read_pdf_page(path: Path, index: int, limits: Limits) -> SourcePage:
    """One page, from 0. Where its image's data is damaged, what can be seen of it.

    Raises
    ------
    SourceError
        If the page cannot be read, or if nothing of its image or content can be shown.
    """
    with blamed("the page"), heard(), _opened(path) as document, pikepdf.open(path) as pdf:
        source = pdf.pages[index]
        if _draws_itself(source):
            raise SourceError("the page draws a form within itself, without end; print it anew")
        page = document[index]
        make = page_make(page)
        least = LEAST_TEXT if make.images or make.marks > PLAIN else 1
        kind = PageKind.BORN_DIGITAL if make.characters >= least else PageKind.SCANNED
        own = None
        if kind is PageKind.SCANNED and len(make.images) == 1 and make.marks == 0:
            own = _own_image(pdf, source, make.images[0], page, limits)
        has_text = make.characters + make.hidden >= least
        if isinstance(own, SourcePage):
            return replace(own, own_text=has_text)
        return replace(_rendered(page, kind, limits, own or _broken(pdf, source, make)), own_text=has_text)


@contextmanager
def _opened(path: Path) -> Iterator[pypdfium2.PdfDocument]:
    document = pypdfium2.PdfDocument(path)
    try:
        document.init_forms()  # else what fields hold is not drawn
        yield document
    finally:
        document.close()


def _draws_itself(owner: pikepdf.Page | pikepdf.Object, above: tuple[tuple[int, int], ...] = ()) -> bool:
    """Whether a form among a page's resources leads back to itself, which pdfium would follow until memory ends."""
    resources: Any = owner.get("/Resources", {})
    named: Any = resources.get("/XObject", {}) if isinstance(resources, pikepdf.Dictionary) else {}
    if not isinstance(named, pikepdf.Dictionary):
        return False
    forms = [f for f in dict(named).values() if isinstance(f, pikepdf.Stream) and f.get("/Subtype") == "/Form"]
    within = (f.objgen for f in forms)
    return len(above) > DEEPEST or any(
        key in above or _draws_itself(form, (*above, key)) for key, form in zip(within, forms, strict=True)
    )


def page_make(page: pypdfium2.PdfPage) -> PageMake:
    """Count what can be seen on a page; invisible text (rendering mode 3) does not count."""
    visible, hidden = 0, 0
    images, marks = [], 0
    left, bottom, right, top = page.get_cropbox()
    most = COVERING * (right - left) * (top - bottom)
    text = page.get_textpage()
    # Forms drawn within forms can name objects without end.
    for item in islice(page.get_objects(max_depth=6), MOST_OBJECTS):
        if item.type == pdfium.FPDF_PAGEOBJ_TEXT:
            size = pdfium.FPDFTextObj_GetText(item.raw, text.raw, None, 0)
            buffer = ctypes.create_string_buffer(size)
            pdfium.FPDFTextObj_GetText(item.raw, text.raw, ctypes.cast(buffer, ctypes.POINTER(pdfium.FPDF_WCHAR)), size)
            count = sum(c.isalnum() for c in buffer.raw[: max(0, size - 2)].decode("utf-16-le", "ignore"))
            if pdfium.FPDFTextObj_GetTextRenderMode(item.raw) != INVISIBLE:
                visible += count
            else:
                hidden += count
        elif item.type == pdfium.FPDF_PAGEOBJ_IMAGE:
            images.append(item)
            west, south, east, north = item.get_bounds()
            covers = (east - west) * (north - south) > most and not pdfium.FPDFPageObj_HasTransparency(item.raw)
            if covers:  # what was drawn before is not seen
                visible, hidden, marks = 0, hidden + visible, 0
        else:
            marks += 1
    return PageMake(visible, hidden, tuple(images), marks + (visible > 0))


def _own_image(
    pdf: pikepdf.Pdf, source: pikepdf.Page, item: Any, page: pypdfium2.PdfPage, limits: Limits
) -> SourcePage | str | None:
    """The page's only image, if it fills the page upright; else the page must be rendered.

    Then it is None, or what is wrong with the image's data.
    """
    a, b, c, d, *_ = item.get_matrix().get()
    if a <= 0 or d <= 0 or abs(b) > 1e-3 * a or abs(c) > 1e-3 * d:
        return None
    left, bottom, right, top = page.get_cropbox()
    if a * d < 0.7 * (right - left) * (top - bottom):
        return None
    own: list[Any] = list(source.get_images(recursive=False).values())
    if len(own) != 1 or any(key in own[0] for key in ("/SMask", "/Mask", "/Decode")) or own[0].get("/ImageMask", False):
        return None
    try:
        size = int(own[0].Width), int(own[0].Height)
    except (TypeError, ValueError, AttributeError) as error:
        return brief(error)
    check_pixels(*size, limits)
    extracted = _extracted(pdf, own[0], item)
    if not isinstance(extracted, tuple):
        return extracted
    original, damage = extracted
    with Pillow.open(io.BytesIO(original)) as picture:
        width, height = picture.size
        stated = width / (a / 72.0)
        told = round(stated, 1) if math.isfinite(stated) else None
        resolution = settle_resolution(width, height, told, lambda: letters_of(picture))
    turn = int(source.rotation) % 360
    if turn in (90, 270):
        width, height = height, width
    return SourcePage(
        original,
        width,
        height,
        resolution.dpi,
        resolution.reason,
        PageKind.SCANNED,
        turn,  # type: ignore[arg-type]
        damage,
    )


def _extracted(pdf: pikepdf.Pdf, image: Any, item: Any) -> tuple[bytes, str] | str | None:
    """An image as a file, and what is damaged in it; a reason where it is too damaged, None where it must be rendered.

    What one decoder cannot read the other may: qpdf's filters and pdfium.
    """
    original, why, missing = b"", "", ""
    pdf.get_warnings()  # of the file's frame, which qpdf mends: no damage to an image
    try:
        view, out = pikepdf.PdfImage(image), io.BytesIO()
        view.extract_to(stream=out)
        original, why = out.getvalue(), _warning(pdf)
        if _breaks_off(pdf, image, view, original):
            with Pillow.open(io.BytesIO(original)) as picture:
                return original, judged(to_array(picture), "its fax code breaks off").damage
        # The first decoder of JBIG2 hides what it could not read.
        if not why and "/JBIG2Decode" not in view.filters:
            return original, ""
    except (MemoryError, SourceError):
        raise
    except (NotImplementedError, NotExtractableError, UnsupportedImageTypeError):
        return None  # a sound image of a kind that no image file can hold
    except pikepdf.DependencyError as error:
        missing = str(error)
    except Exception as error:
        why = brief(error) if image.read_raw_bytes() else "it holds no data"
    try:
        other = to_array(item.get_bitmap().to_pil())
    except pypdfium2.PdfiumError:
        return why or missing or "its JBIG2 code cannot be read"
    if original and not why and not np.array_equal(other, decode(original)):
        why = "two decoders disagree about its JBIG2 code"
    return encode_png(other), judged(other, why).damage


def _warning(pdf: pikepdf.Pdf) -> str:
    """The first thing that qpdf met in the file's streams."""
    return next((brief(ValueError(str(w))) for w in pdf.get_warnings()), "")


def _breaks_off(pdf: pikepdf.Pdf, image: Any, view: pikepdf.PdfImage, original: bytes) -> bool:
    """Whether Group 4 code ends before its picture does: then rows put behind it show in the picture."""
    if view.filters != ["/CCITTFaxDecode"] or int((view.filter_decodeparms[0][1] or {}).get("/K", 0)) >= 0:
        return False
    longer, out = pdf.make_stream(b""), io.BytesIO()
    longer.stream_dict = pikepdf.Dictionary(image.stream_dict)
    longer.write(
        image.read_raw_bytes() + MORE_ROWS, filter=image.get("/Filter"), decode_parms=image.get("/DecodeParms")
    )
    pikepdf.PdfImage(longer).extract_to(stream=out)
    with Pillow.open(io.BytesIO(original)) as first, Pillow.open(io.BytesIO(out.getvalue())) as second:
        return not np.array_equal(to_array(first), to_array(second))


def _broken(pdf: pikepdf.Pdf, source: pikepdf.Page, make: PageMake) -> str:
    """What of a page's streams cannot be decoded; empty where all can."""
    pdf.get_warnings()  # as above
    try:
        for image in islice(source.get_images(recursive=False).values(), MOST_IMAGES):
            if image.stream_dict.get("/Filter") in READABLE:
                image.read_bytes()
        drawn = make.characters or make.images or make.marks
        if not drawn and any(str(i.operator) not in OPERATORS for i in pikepdf.parse_content_stream(source)):
            return "its content is no page description"
    except Exception as error:
        return brief(error)
    return _warning(pdf)


def _rendered(page: pypdfium2.PdfPage, kind: PageKind, limits: Limits, damage: str) -> SourcePage:
    width, height = page.get_size()
    scale = RENDER_DPI / 72.0
    check_pixels(max(1, round(width * scale)), max(1, round(height * scale)), limits)
    image, damage = judged(to_array(page.render(scale=scale).to_pil()), damage)
    return SourcePage(encode_png(image), image.shape[1], image.shape[0], RENDER_DPI, "", kind, damage=damage)
