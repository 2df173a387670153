"""Annotations and form fields of a born-digital page, as an archive takes them: seen as they were, and still fields.

ISO 32000-1, 12.5 and 12.7; ISO 19005-2, 6.3 and 6.4; ISO 14289-1, 7.18.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import pikepdf
import pypdfium2
from pikepdf import Array, Dictionary, Name, Stream, String

from hyalen.core.model.text import fit

Check = Callable[[Any], None]  # raises ValueError where an archive does not take a form XObject
Edges = tuple[float, float, float, float]  # left, bottom, right, top in points
MARKUP = frozenset(
    {"/Text", "/FreeText", "/Line", "/Square", "/Circle", "/Polygon", "/PolyLine", "/Highlight", "/Underline",
     "/Squiggly", "/StrikeOut", "/Caret", "/Stamp", "/Ink"}
)  # fmt: skip
ANY = ("/Rect", "/F", "/C", "/CA", "/BS", "/Border", "/NM", "/M")
OF_MARKUP = (
    *ANY, "/T", "/Subj", "/CreationDate", "/QuadPoints", "/InkList", "/L", "/LE", "/IC", "/Vertices", "/Name", "/RD",
    "/DA", "/Q",
)  # fmt: skip
OF_WIDGET = (*ANY, "/H", "/MK")
OF_FIELD = ("/FT", "/Ff", "/V", "/DV", "/DA", "/Q", "/MaxLen", "/Opt", "/TU")  # what a field has of its parents
HIDDEN = 1 << 0 | 1 << 1 | 1 << 5  # Invisible, Hidden, NoView (table 165)
PRINT = 1 << 2
PUSH_BUTTON, RADIO = 1 << 16, 1 << 15  # table 226
SEEN_DPI = 300.0
DEEPEST = 20  # fields within fields
MOST = 2_000  # of a page


def take_annotations(page: pikepdf.Page, pdf: pikepdf.Pdf, path: Path, index: int, check: Check) -> None:
    """Leave of a page's annotations what an archive takes; links and what is not seen go.

    What is drawn with fonts that are not embedded is seen as its picture, a signature as a stamp.
    """
    kept: Any = Array()
    shown = _Shown(path, index)
    try:
        for annotation in list(page.obj.get("/Annots", Array()))[:MOST]:
            if isinstance(annotation, Dictionary) and (made := _kept(annotation, pdf, shown, check)) is not None:
                kept.append(pdf.make_indirect(made))
    finally:
        shown.close()
    page.obj.Annots = kept


def fields_of(widgets: Sequence[Any], pdf: pikepdf.Pdf) -> Dictionary:
    """The form that widgets belong to: those of one name are of one field (12.7.3.2)."""
    named: dict[str, list[Any]] = {}
    for widget in widgets:
        named.setdefault(str(widget.T), []).append(widget)
    fields: Any = Array()
    for name, those in named.items():
        if len(those) == 1:
            fields.append(those[0])
            continue
        field = pdf.make_indirect(Dictionary(T=String(name), Kids=Array(those)))
        for key in OF_FIELD:
            if key in those[0]:
                field[key] = those[0][key]
        for widget in those:
            for key in ("/T", *OF_FIELD):
                if key in widget:
                    del widget[key]
            widget.Parent = field
        fields.append(field)
    return Dictionary(Fields=fields)


def _kept(annotation: Any, pdf: pikepdf.Pdf, shown: _Shown, check: Check) -> Dictionary | None:
    kind, flags = str(annotation.get("/Subtype", "")), int(annotation.get("/F", 0))
    left, bottom, right, top = _edges(annotation)
    if flags & HIDDEN or right - left < 0.01 or top - bottom < 0.01:
        return None
    if kind == "/Widget":
        return _widget(annotation, flags, pdf, shown, check)
    if kind not in MARKUP:
        return None
    made = _only(annotation, OF_MARKUP)
    made.Subtype, made.F = Name(kind), (flags | PRINT) & ~HIDDEN
    said = fit(str(annotation.get("/Contents", ""))).strip()
    made.Contents = String(said or kind.lstrip("/"))
    made.AP = Dictionary(N=_fit_stream(_normal(annotation), check) or shown.picture(_edges(annotation), pdf))
    return made


def _widget(widget: Any, flags: int, pdf: pikepdf.Pdf, shown: _Shown, check: Check) -> Dictionary | None:
    field = _field(widget)
    kind, ways = str(field.get("/FT", "")), int(field.get("/Ff", 0))
    name = _full_name(widget)
    told = fit(str(field.get("/TU", ""))).strip() or name.replace("_", " ")
    if kind == "/Sig" or (kind == "/Btn" and ways & PUSH_BUTTON):
        if kind == "/Btn" and not flags & PRINT:
            return None
        made = _only(widget, ANY)  # what it did is gone, how it looked is not
        made.Subtype, made.F = Name.Stamp, flags | PRINT
        made.Contents = String(f"Signature: {told}" if kind == "/Sig" else told)
        made.AP = Dictionary(N=_fit_stream(_normal(widget), check) or shown.picture(_edges(widget), pdf))
        return made
    made = _only(widget, OF_WIDGET)
    if "/MK" in made:
        made.MK = Dictionary({k: made.MK[k] for k in ("/BC", "/BG", "/CA", "/R") if k in made.MK})
    for key in OF_FIELD:
        if key in field:
            made[key] = field[key]
    made.Subtype, made.F, made.T, made.TU = Name.Widget, flags | PRINT, String(name), String(told)
    made.Contents = String(told)  # ISO 14289-2, 8.10.2.3
    if kind == "/Btn":
        made.AP = Dictionary(N=_states(widget, ways, pdf, check))
        made.AS = Name(str(widget.get("/AS", "/Off")))
        if str(made.AS) not in made.AP.N:
            made.AS = Name.Off
        return made
    look = _fit_stream(_normal(widget), check)
    if look is None:
        look = (
            shown.picture(_edges(widget), pdf) if _says(field) or _normal(widget) is not None else _blank(widget, pdf)
        )
    made.AP = Dictionary(N=look)
    return made


def _only(annotation: Any, keys: Sequence[str]) -> Dictionary:
    made = Dictionary(Type=Name.Annot)
    for key in keys:
        if key in annotation:
            made[key] = annotation[key]
    return made


def _edges(annotation: Any) -> Edges:
    try:
        xs, ys = (sorted(float(annotation.Rect[i]) for i in pair) for pair in ((0, 2), (1, 3)))
    except (AttributeError, IndexError, TypeError, ValueError):
        return 0.0, 0.0, 0.0, 0.0
    return xs[0], ys[0], xs[1], ys[1]


def _says(field: Any) -> bool:
    return bool(str(field.get("/V", "")).strip())


def _field(widget: Any) -> dict[str, Any]:
    """A field's entries, those of its parents where it has none of its own (12.7.3.1)."""
    found: dict[str, Any] = {}
    at, depth = widget, 0
    while isinstance(at, Dictionary) and depth < DEEPEST:
        found = {key: at[key] for key in OF_FIELD if key in at} | found
        at, depth = at.get("/Parent"), depth + 1
    return found


def _full_name(widget: Any) -> str:
    """Its names from the top, as one that needs no field above it."""
    parts: list[str] = []
    at, depth = widget, 0
    while isinstance(at, Dictionary) and depth < DEEPEST:
        if "/T" in at:
            parts.insert(0, fit(str(at.T)).replace(".", "_"))
        at, depth = at.get("/Parent"), depth + 1
    return "_".join(part for part in parts if part) or "field"


def _normal(annotation: Any) -> Any:
    """Its normal appearance in the state that it is in; None where it has none."""
    appearances: Any = annotation.get("/AP", Dictionary())
    look = appearances.get("/N") if isinstance(appearances, Dictionary) else None
    if isinstance(look, Dictionary) and not isinstance(look, Stream):
        look = look.get(str(annotation.get("/AS", "/Off")))
    return look if isinstance(look, Stream) else None


def _fit_stream(look: Any, check: Check) -> Any:
    """An appearance that an archive takes, or None."""
    if look is None:
        return None
    try:
        check(look)
    except ValueError:
        return None
    return look


def _states(widget: Any, ways: int, pdf: pikepdf.Pdf, check: Check) -> Dictionary:
    """How a box that is ticked looks in each of its states (12.5.5); drawn anew where a font is lacking."""
    appearances: Any = widget.get("/AP", Dictionary())
    looks: Any = appearances.get("/N", Dictionary())
    names = list(looks.keys()) if isinstance(looks, Dictionary) and not isinstance(looks, Stream) else []
    made = Dictionary()
    for name in dict.fromkeys([*names, str(widget.get("/AS", "/Off")), "/Off"]):
        look = looks.get(name) if names else None
        fitting = _fit_stream(look if isinstance(look, Stream) else None, check)
        made[name] = _drawn(widget, name != "/Off", bool(ways & RADIO), pdf) if fitting is None else fitting
    return made


def _drawn(widget: Any, ticked: bool, radio: bool, pdf: pikepdf.Pdf) -> Any:
    left, bottom, right, top = _edges(widget)
    width, height = right - left, top - bottom
    parts = [f"q 1 1 1 rg 0 0 0 RG 0.8 w 0.4 0.4 {width - 0.8:.2f} {height - 0.8:.2f} re B"]
    if ticked and radio:
        w, h = width * 0.25, height * 0.25
        parts.append(f"0 0 0 rg {w:.2f} {h:.2f} {width - 2 * w:.2f} {height - 2 * h:.2f} re f")
    elif ticked:
        points = ((0.2, 0.5), (0.42, 0.25), (0.8, 0.8))
        (a, b), (c, d), (e, f) = ((x * width, y * height) for x, y in points)
        parts.append(f"{min(width, height) / 8:.2f} w {a:.2f} {b:.2f} m {c:.2f} {d:.2f} l {e:.2f} {f:.2f} l S")
    return _form("\n".join([*parts, "Q"]), width, height, Dictionary(), pdf)


def _blank(widget: Any, pdf: pikepdf.Pdf) -> Any:
    left, bottom, right, top = _edges(widget)
    return _form("", right - left, top - bottom, Dictionary(), pdf)


def _form(content: str, width: float, height: float, resources: Dictionary, pdf: pikepdf.Pdf) -> Any:
    return pdf.make_stream(
        content.encode("ascii"),
        Type=Name.XObject,
        Subtype=Name.Form,
        BBox=Array([0, 0, round(width, 3), round(height, 3)]),
        Resources=resources,
    )


class _Shown:
    """A page as it is seen with its annotations, of which parts are taken as pictures."""

    def __init__(self, path: Path, index: int) -> None:
        self._path, self._index = path, index
        self._document: pypdfium2.PdfDocument | None = None

    def picture(self, edges: Edges, pdf: pikepdf.Pdf) -> Any:
        """A form that shows what is seen within edges of the page."""
        if self._document is None:
            self._document = pypdfium2.PdfDocument(self._path)
            self._document.init_forms()
        page = self._document[self._index]
        width, height = page.get_size()
        left, bottom, right, top = edges
        crop = (max(0.0, left), max(0.0, bottom), max(0.0, width - right), max(0.0, height - top))
        seen = page.render(scale=SEEN_DPI / 72, crop=crop).to_pil().convert("RGB")
        image = pdf.make_stream(
            seen.tobytes(), Type=Name.XObject, Subtype=Name.Image, Width=seen.width, Height=seen.height,
            ColorSpace=Name.DeviceRGB, BitsPerComponent=8,
        )  # fmt: skip
        paint = f"q {right - left:.3f} 0 0 {top - bottom:.3f} 0 0 cm /Im0 Do Q"
        return _form(paint, right - left, top - bottom, Dictionary(XObject=Dictionary(Im0=image)), pdf)

    def close(self) -> None:
        if self._document is not None:
            self._document.close()
