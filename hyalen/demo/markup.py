"""The frame of the demo archive's HTML pages."""

from __future__ import annotations

COMMON = """
*{box-sizing:border-box} body{margin:0;background:#fff;color:#161412;position:relative;height:297mm;overflow:hidden}
.stamp{position:absolute;color:#7c1f2b;border:3px solid #7c1f2b;border-radius:6px;font:700 11pt 'Liberation Sans';
 text-align:center;padding:2mm 4mm;letter-spacing:.08em;opacity:.82}
"""


def page(style: str, body: str, language: str = "en") -> str:
    """An A4 page."""
    head = f'<html lang="{language}"><meta charset="utf-8"><style>{COMMON}{style}</style>'
    return f"<!doctype html>{head}<body>{body}</body></html>"
