"""Pictures that are anchored at a place of their page (DrawingML, ECMA-376-1, 20.4.2.3)."""

from __future__ import annotations

from typing import Any

from docx.oxml import parse_xml
from docx.oxml.ns import nsdecls, qn
from docx.shape import InlineShape
from docx.shared import Length


def anchor(picture: InlineShape, left: Length, top: Length, number: int, beneath: bool) -> None:
    """Take a picture out of its line and put it on its page; text gives way to it, or runs over it where it lies `beneath`."""
    inline: Any = picture._inline
    wrap = "<wp:wrapNone/>" if beneath else '<wp:wrapSquare wrapText="bothSides"/>'
    anchored = parse_xml(
        f'<wp:anchor {nsdecls("wp", "a", "pic", "r")} distT="0" distB="0" distL="0" distR="0" simplePos="0"'
        f' relativeHeight="{number}" behindDoc="{int(beneath)}" locked="0" layoutInCell="1" allowOverlap="1">'
        '<wp:simplePos x="0" y="0"/>'
        f'<wp:positionH relativeFrom="page"><wp:posOffset>{int(left)}</wp:posOffset></wp:positionH>'
        f'<wp:positionV relativeFrom="page"><wp:posOffset>{int(top)}</wp:posOffset></wp:positionV>'
        f'<wp:extent cx="{int(picture.width)}" cy="{int(picture.height)}"/>'
        f'<wp:effectExtent l="0" t="0" r="0" b="0"/>{wrap}</wp:anchor>'
    )
    for name in ("wp:docPr", "wp:cNvGraphicFramePr", "a:graphic"):
        found = inline.find(qn(name))
        if found is not None:
            anchored.append(found)
    inline.getparent().replace(inline, anchored)
