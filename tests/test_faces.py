"""Pages are set in typefaces that are loaded by file, whatever else a machine has under their names."""

from __future__ import annotations

import pytest
from fontTools.ttLib import TTFont

from hyalen.demo import faces
from hyalen.demo.faces import ADDRESS, CSS, FACES, ROOT, Face, missing
from hyalen.demo.typeset import Typesetter, typesetter


def width(face: Face, text: str, size: float) -> float:
    """A text's width as the font file's own table of advances gives it (OpenType, hmtx)."""
    font = TTFont(ROOT / face.file)
    advances, glyphs = font["hmtx"], font.getBestCmap()
    return sum(advances[glyphs[ord(c)]][0] for c in text) * size / font["head"].unitsPerEm


@pytest.mark.parametrize(
    "family", ["Liberation Serif", "Liberation Sans", "Courier Prime", "EB Garamond", "Noto Serif"]
)
@pytest.mark.parametrize("weight", [400, 700])
def test_what_is_set_has_the_advances_of_the_named_file(setter: Typesetter, family: str, weight: int) -> None:
    face = next(f for f in FACES if (f.family, f.weight, f.style) == (family, weight, "normal"))
    text = "HHHH nnnn mmmm 0123"
    page = setter.set(
        f"""<body style="margin:40px"><span data-role="text" style="font:{weight} 40px '{family}';white-space:pre;
          font-kerning:none;font-variant-ligatures:none">{text}</span>""",
        96,
    )
    box = page.blocks[0].box
    assert box.right - box.left == pytest.approx(width(face, text, 40), abs=2)


def test_every_face_is_named_once_and_all_are_served(setter: Typesetter) -> None:
    assert len({(f.family, f.weight, f.style) for f in FACES}) == len(FACES) == CSS.count("@font-face")
    assert missing() == []
    context = setter._browser.new_context(offline=True)
    faces.serve(context)
    page = context.new_page()
    page.set_content("<p>set</p>")
    page.add_style_tag(content=CSS)
    states = page.evaluate("Promise.all([...document.fonts].map(f => f.load().then(f => f.status, e => String(e))))")
    context.close()
    assert states == ["loaded"] * len(FACES)


def test_nothing_else_is_asked_for_from_the_network(setter: Typesetter) -> None:
    context = setter._browser.new_context(offline=True)
    faces.serve(context)
    page = context.new_page()
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    page.set_content("<p style=\"font:20px 'Noto Naskh Arabic'\">المادة</p>")
    page.add_style_tag(content=CSS)
    page.evaluate("document.fonts.ready")
    context.close()
    assert asked and all(url.startswith((ADDRESS, "about:")) for url in asked)


def test_a_missing_typeface_is_named_with_its_package(monkeypatch: pytest.MonkeyPatch) -> None:
    lost = Face("Nothing", 400, "normal", "nowhere/Nothing.ttf", "fonts-nothing")
    monkeypatch.setattr(faces, "FACES", [*FACES, lost, lost])
    assert missing() == ["fonts-nothing"]
    with pytest.raises(RuntimeError, match="fonts-nothing"), typesetter():
        pass
