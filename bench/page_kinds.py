"""Kinds of pages that archives hold, each with its blocks in reading order: books, journals, papers, letters, lists.

An element's `data-role` is what `bench.real.score` asks for: p, h, c, n, l for paragraphs, headings, captions, notes and
items of lists, "?" for what may be a block of its own or not, "any" for what may be read anywhere, "a" for running heads
and page numbers, which are not to be read, "*" for blocks of whatever role.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from html import escape
from typing import NamedTuple

from bench.material import paragraphs
from hyalen.core.languages import is_right_to_left, language_tag

LATIN = ("eng", "fra", "deu", "spa", "ita")
SERIF = "'Liberation Serif','Noto Naskh Arabic','Noto Serif Hebrew','Noto Serif',serif"
OLD = "'EB Garamond','Liberation Serif','Noto Naskh Arabic',serif"
SANS = "'Liberation Sans','Noto Sans Arabic','Noto Sans Hebrew','Noto Sans',sans-serif"
TYPED = "'Courier Prime','Liberation Mono',monospace"
DRAWING = """<svg viewBox="0 0 120 90" style="width:100%;display:block"><rect width="120" height="90" fill="#bbb"/>
    <path d="M52 80 57 22h8l5 58z" fill="#333"/><circle cx="61" cy="17" r="6" fill="#eee" stroke="#222"/>
    <path d="M0 80q30-14 60 0t60-4v14H0z" fill="#666"/><path d="M67 15 118 3v10z" fill="#fafafa"/></svg>"""


class Kind(NamedTuple):
    """A page's style and body, and the languages in which its text runs."""

    name: str
    make: Callable[[Text], tuple[str, str]]
    language: str = "eng"
    landscape: bool = False


class Text:
    """Running text, no part of which is said twice."""

    def __init__(self, language: str, start: int) -> None:
        self._latin = language in LATIN
        texts = [t for tag, t in paragraphs(language) if tag in ("p", "li") and len(t) > 40]
        self._texts = iter(texts[start:] + texts[:start])
        self._kept = ""

    def plain(self, length: int) -> str:
        """About so many letters, in whole sentences or, where these are longer, in whole words."""
        text = self._kept
        while len(text) < length:
            text = f"{text} {next(self._texts)}".strip()
        cut = text.rfind(". ", length // 2, length) + 1 or text.rfind(" ", 0, length)
        self._kept = text[cut:].strip()
        told = text[:cut].strip().rstrip(",;:")
        told = told if told.endswith((".", "!", "?")) else f"{told}."
        return told[0].upper() + told[1:]

    def head(self, told: str) -> str:
        """A heading as it is told, or one of its length in another script."""
        return told if self._latin else self.plain(max(20, len(told))).rstrip(".")

    def block(self, length: int, role: str = "p", tag: str = "p", more: str = "") -> str:
        return f'<{tag} data-role="{role}" {more}>{escape(self.plain(length))}</{tag}>'

    def blocks(self, *lengths: int) -> str:
        return "".join(map(self.block, lengths))


def _journal(text: Text) -> tuple[str, str]:
    style = f"""body{{font:9.5pt/1.25 {SERIF}}} .a{{font-size:8pt;text-align:center}} h1{{font-size:17pt;text-align:center;margin:4mm 0 2mm}}
    .by{{text-align:center;margin:0 0 4mm}} .abs{{margin:0 12mm 5mm;font-size:8.5pt}} main{{columns:2;column-gap:7mm;text-align:justify;height:172mm;column-fill:auto}}
    main p{{margin:0;text-indent:1.2em}} h2{{font-size:10pt;margin:3mm 0 1mm}} .foot{{font-size:8pt;border-top:1px solid #000;width:80mm;margin-top:4mm;padding-top:1mm}} .foot p{{margin:0}}"""
    body = f"""<p class="a" data-role="a">{text.head("Proceedings of the Coastal Engineers, Vol. 12, No. 3")}</p>
    <h1 data-role="h">{text.head("The Loss of Light in Lanterns of Large Focal Length")}</h1><p class="by" data-role="any">{text.head("A. Holm and B. Vang")}</p>
    {text.block(420, more='class="abs"')}<main><h2 data-role="h">{text.head("1. Introduction")}</h2>{text.blocks(420, 520, 380)}
    <h2 data-role="h">{text.head("2. Method of the trials")}</h2>{text.blocks(460, 300, 520)}<h2 data-role="h">{text.head("3. What was found")}</h2>{text.blocks(380, 440, 300)}</main>
    <div class="foot">{text.block(120, "any n")}{text.block(90, "any n")}</div>"""
    return style, body


def _lettered(text: Text) -> tuple[str, str]:
    style = f"""body{{font:11pt/1.3 {TYPED}}} .head{{text-align:center;font:bold 16pt {SERIF};margin:0}} .sub{{text-align:center;font:9pt {SERIF};margin:0 0 10mm}}
    .r{{margin-left:95mm}} .to{{margin:8mm 0}} p{{margin:0 0 4mm}}"""
    body = f"""<p class="head" data-role="any">SKARNHOLM LIGHTS BOARD</p><p class="sub" data-role="any">Harbour Office, Sandvik</p>
    <p class="r" data-role="any">14th March 1927.</p><p class="to" data-role="?">The Keeper,<br>Grimhaug Light,<br>by the second boat.</p>
    <p data-role="p">Dear Sir,</p>{text.blocks(360, 480, 300)}<p class="r" data-role="any">Yours faithfully,</p><p class="r" data-role="any" style="margin-top:12mm">Storekeeper.</p>
    <p data-role="any">Enclosures: two.</p>"""
    return style, body


def _numbered(text: Text) -> tuple[str, str]:
    style = f"""body{{font:11pt/1.35 {SERIF}}} h1{{font-size:14pt;text-align:center}} p{{margin:0 0 3mm;text-align:justify}} .row{{display:grid;grid-template-columns:32mm 1fr;gap:5mm}}
    .side{{font-size:8.5pt;line-height:1.15;font-style:italic;text-align:left}}"""
    heads = ["Stores.", "Wages of the keepers.", "Boats and moorings.", "The new lantern."]
    rows = "".join(f'<div class="row"><p class="side" data-role="any">{head}</p><div>{text.block(300 + 40 * i).replace(">", f">{i + 14}. ", 1)}{text.block(220)}</div></div>'
                   for i, head in enumerate(heads))  # fmt: skip
    return (
        style,
        f'<h1 data-role="h">MINUTES OF THE BOARD</h1><p data-role="p">Held at Sandvik on the 3rd of May, the Chairman presiding.</p>{rows}',
    )


def _dictionary(text: Text) -> tuple[str, str]:
    style = f"""body{{font:8.5pt/1.2 {SERIF}}} .a{{display:flex;justify-content:space-between;font-weight:bold;border-bottom:1px solid #000;margin:0 0 3mm}} main{{columns:3;column-gap:5mm;text-align:justify;height:215mm;column-fill:auto}}
    main p{{margin:0;padding-left:1em;text-indent:-1em}} b{{font-family:{SANS}}}"""
    words = [
        "Beacon",
        "Bearing",
        "Bell",
        "Berth",
        "Bilge",
        "Blaze",
        "Boathook",
        "Bollard",
        "Bow",
        "Breakwater",
        "Buoy",
        "Burner",
        "Cable",
        "Capstan",
        "Chart",
        "Chimney",
        "Coal",
        "Cock",
    ]
    entries = "".join(
        f'<p data-role="p"><b>{text.head(word)}</b>, {escape(text.plain(170 + 53 * i % 190))}</p>'
        for i, word in enumerate(words)
    )
    return (
        style,
        f'<div class="a" data-role="a"><span>{words[0]}</span><span>87</span><span>{words[-1]}</span></div><main>{entries}</main>',
    )


def _index(_: Text) -> tuple[str, str]:
    style = f"body{{font:9pt/1.25 {SERIF}}} h1{{text-align:center;font-size:15pt}} main{{columns:3;column-gap:7mm}} p{{margin:0;padding-left:2em;text-indent:-2em}} .s{{padding-left:3em}}"
    names = [
        "Anchors",
        "Bells",
        "Boats",
        "Burners",
        "Chimneys",
        "Coal",
        "Doctors",
        "Engines",
        "Fog",
        "Glass",
        "Keepers",
        "Lamps",
        "Lenses",
        "Moorings",
        "Oil",
        "Paint",
        "Rocks",
        "Ropes",
        "Signals",
        "Stores",
        "Towers",
        "Wages",
        "Water",
        "Wicks",
    ]
    more = ["cost of", "lost in the storm of 1899", "of the new kind", "sent by boat"]
    lines = "".join(f'<p data-role="?">{name}, {i * 7 % 90 + 3}, {i * 11 % 80 + 95}</p>'
                    + "".join(f'<p class="s" data-role="?">{m}, {(i + j) * 13 % 200 + 4}</p>' for j, m in enumerate(more[: i % 4]))
                    for i, name in enumerate(names))  # fmt: skip
    return style, f'<h1 data-role="h">INDEX</h1><main>{lines}</main>'


def _contents(text: Text) -> tuple[str, str]:
    style = f"body{{font:11pt/1.6 {OLD}}} h1{{text-align:center;font-size:16pt;letter-spacing:.1em}} .e{{display:flex;margin:0;width:140mm}} .e i{{flex:1;overflow:hidden;white-space:nowrap;font-style:normal;margin:0 2mm}}"
    names = [
        "The first lights",
        "The Board is founded",
        "Oil and wicks",
        "The great storm",
        "Fog bells",
        "Boats and landings",
        "Keepers and wages",
        "The lens of 1874",
        "Electric light",
        "What is left",
    ]
    rows = "".join(f'<div class="e" data-role="?"><span>{roman}. {name}</span><i>{" ." * 90}</i><span>{9 + 23 * i}</span></div>'
                   for i, (roman, name) in enumerate(zip(["I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX", "X"], names, strict=True)))  # fmt: skip
    return style, f'<h1 data-role="h">CONTENTS</h1>{rows}{text.block(300, more="style=margin-top:12mm")}'


def _newspaper(text: Text) -> tuple[str, str]:
    style = f"""body{{font:8.2pt/1.15 {SERIF};margin:10mm!important}} .mast{{text-align:center;font:bold 30pt {OLD};margin:0;border-bottom:2px solid #000}} .a{{text-align:center;margin:1mm 0 3mm;border-bottom:1px solid #000}}
    .grid{{display:grid;grid-template-columns:repeat(5,1fr);column-gap:4mm}} .grid p{{margin:0;text-align:justify;text-indent:1em}} .c{{border-left:1px solid #000;padding-left:2mm;margin-left:-2mm}} h2{{font:bold 18pt/1.05 {SERIF};margin:0 0 2mm;text-align:center}}
    h3{{font:bold 10pt/1.1 {SANS};margin:2.5mm 0 1mm;text-align:center}} .wide{{grid-column:span 3}} .wide div{{columns:3;column-gap:4mm;column-rule:1px solid #000}} .two{{grid-column:span 2;display:grid;grid-template-columns:1fr 1fr;column-gap:4mm}}"""
    body = f"""<p class="mast" data-role="any">{text.head("The Sandvik Courier")}</p><p class="a" data-role="any">{text.head("SANDVIK, SATURDAY, MARCH 14, 1927. ONE PENNY.")}</p>
    <div class="grid"><div class="wide"><h2 data-role="h">{text.head("STEAMER ON THE GRIMHAUG ROCKS")}</h2><div>{text.blocks(330, 520, 300, 460, 380, 300)}</div></div>
    <div class="two"><div class="c"><h3 data-role="h">{text.head("THE PRICE OF OIL")}</h3>{text.blocks(340, 420)}<h3 data-role="h">{text.head("LOST BOATS")}</h3>{text.blocks(300)}</div>
    <div class="c"><h3 data-role="h">{text.head("TO THE EDITOR")}</h3>{text.blocks(300, 380)}<h3 data-role="h">{text.head("MARKETS")}</h3>{text.blocks(260, 200)}</div></div></div>"""
    return style, body


def _verse(text: Text) -> tuple[str, str]:
    style = f"body{{font:12pt/1.35 {OLD}}} .a{{text-align:center;font-size:10pt}} h1{{font-size:15pt;text-align:center;font-weight:normal}} .v{{margin:0 0 5mm 32mm;position:relative;width:92mm}} .v u{{position:absolute;right:-12mm;text-decoration:none;font-size:9pt}} .v span{{display:block}} .v span:nth-child(even){{padding-left:1.2em}}"
    stanzas, line = "", 0
    for _ in range(5):
        verses = ""
        for _ in range(5):
            line += 1
            words = text.plain(46).rstrip(".") + ("." if line % 5 == 0 else "")
            verses += f"<span>{escape(words)}{f'<u>{line}</u>' if line % 5 == 0 else ''}</span>"
        stanzas += f'<div class="v" data-role="p">{verses}</div>'
    return (
        style,
        f'<p class="a" data-role="a">46 &nbsp; SONGS OF THE LIGHT</p><h1 data-role="h">The Keeper at Night</h1>{stanzas}',
    )


def _notes(text: Text) -> tuple[str, str]:
    style = f"""body{{font:11pt/1.3 {OLD};margin:25mm 32mm!important}} .a{{display:flex;justify-content:space-between;font-size:10pt;letter-spacing:.05em}} p{{margin:0;text-indent:1.5em;text-align:justify}}
    .d{{text-indent:0}} .d::first-letter{{font-size:38pt;float:left;line-height:.8;padding-right:1mm}} h1{{font-size:15pt;text-align:center}} .f{{font-size:8.5pt;columns:2;column-gap:6mm;margin-top:6mm}} .f p{{text-indent:1em}}"""
    foot = "".join(text.block(110 + 30 * i, "n").replace(">", f">{sign} ", 1) for i, sign in enumerate("*†‡§"))
    body = f"""<div class="a" data-role="a"><span>112</span><span>OF THE OLD LIGHTS</span><span>CHAP. VII.</span></div><h1 data-role="h">CHAPTER THE SEVENTH</h1>
    {text.block(420, more='class="d"')}{text.blocks(520, 300, 640)}<div class="f">{foot}</div>"""
    return style, body


def _parallel(text: Text) -> tuple[str, str]:
    style = f"body{{font:10.5pt/1.3 {SERIF}}} h1{{font-size:14pt;text-align:center}} main{{display:grid;grid-template-columns:1fr 1fr;gap:8mm}} p{{margin:0 0 3mm;text-align:justify}}"
    other = Text("fra", 4)
    left, right = text.blocks(300, 420, 380, 300, 450), other.blocks(320, 430, 400, 310, 470)
    return style, f'<h1 data-role="h">RULES FOR PILOTS</h1><main><div>{left}</div><div lang="fr">{right}</div></main>'


def _ruled_lines(text: Text) -> tuple[str, str]:
    style = f"body{{font:12pt/9mm {TYPED};margin:20mm 15mm!important}} main{{position:relative;margin-left:16mm;border-left:3px double #000;padding-left:6mm}} .n{{position:absolute;left:-12mm;top:0;text-align:right;width:8mm}} p{{margin:0;text-indent:12mm}} h1{{font:inherit;text-align:center;margin:0}}"
    numbers = "".join(f'<div data-role="any">{i}</div>' for i in range(1, 26))
    return (
        style,
        f'<main><div class="n">{numbers}</div><h1 data-role="h">IN THE MATTER OF THE STEAMER TERN</h1>{text.blocks(330, 260, 300)}</main>',
    )


def _questions(text: Text) -> tuple[str, str]:
    style = f"body{{font:11pt/1.3 {SANS}}} h1{{font-size:15pt}} ol{{margin:0;padding-left:9mm}} li{{margin:0 0 2mm}} .b{{padding-left:8mm;list-style:lower-alpha}} ul{{padding-left:8mm;margin:0 0 4mm}}"
    letters = "".join(text.block(120 + 20 * i, "l", "li") for i in range(3))
    items = "".join(text.block(190 + 30 * i, "l", "li") for i in range(4))
    dots = "".join(text.block(90 + 25 * i, "l", "li") for i in range(4))
    body = f"""<h1 data-role="h">{text.head("Orders for the watch")}</h1>{text.block(300)}<ol>{items}</ol><ol class="b">{letters}</ol><h1 data-role="h">{text.head("What to report")}</h1>{text.block(220)}<ul>{dots}</ul>{text.block(260)}"""
    return style, body


def _magazine(text: Text) -> tuple[str, str]:
    style = f"""body{{font:9.5pt/1.3 {SERIF}}} h1{{font:bold 26pt/1.05 {SANS};margin:0 0 3mm}} .lead{{font:italic 12pt/1.3 {SERIF};margin:0 0 5mm}} main{{columns:3;column-gap:6mm;height:180mm;column-fill:auto;text-align:justify}} main p{{margin:0;text-indent:1em}}
    .pull{{font:bold 15pt/1.2 {SANS};border-top:3px solid #000;border-bottom:3px solid #000;padding:3mm 0;margin:4mm 0;text-align:left;text-indent:0!important;break-inside:avoid}} .fig{{break-inside:avoid;margin:2mm 0 4mm}} .fig p{{font:8pt/1.2 {SANS};text-indent:0;text-align:left;margin:1mm 0 0}} .a{{font:8pt {SANS};margin-top:6mm}}"""
    body = f"""<h1 data-role="h">A winter on the outer bank</h1>{text.block(200, more='class="lead"')}<main>{text.blocks(520, 600)}<p class="pull" data-role="any">Nobody came for eleven weeks, and the oil was gone</p>
    {text.blocks(480)}<div class="fig">{DRAWING}<p data-role="any">The tower from the landing, drawn by the second keeper.</p></div>{text.blocks(560, 380, 420, 300)}</main>
    <p class="a" data-role="a">THE BOARD'S MAGAZINE &nbsp;&nbsp; 31</p>"""
    return style, body


def _spread(text: Text) -> tuple[str, str]:
    style = f"body{{font:9.5pt/1.3 {OLD};margin:14mm!important}} main{{display:grid;grid-template-columns:1fr 1fr;gap:30mm}} .a{{display:flex;justify-content:space-between;margin:0 0 3mm}} main p{{margin:0;text-indent:1.5em;text-align:justify}}"
    left = f'<div class="a" data-role="a"><span>64</span><span>THE KEEPER\'S BOOK</span><span></span></div>{text.blocks(640, 520, 700, 420)}'
    right = f'<div class="a" data-role="a"><span></span><span>LAMPS AND OIL</span><span>65</span></div>{text.blocks(560, 620, 480, 600)}'
    return style, f"<main><div>{left}</div><div>{right}</div></main>"


def _cards(_: Text) -> tuple[str, str]:
    style = f"body{{font:10pt/1.3 {TYPED}}} main{{display:grid;grid-template-columns:1fr 1fr;gap:6mm}} .k{{border:1px solid #000;padding:4mm;height:38mm}} p{{margin:0 0 1.5mm}}"
    places = [
        "Skarnholm",
        "Grimhaug",
        "Torgrunn",
        "Mewstone",
        "Long Reef",
        "Tern Island",
        "Sandvik",
        "Outer Bank",
        "Kettle Ness",
        "North Ledge",
    ]
    cards = "".join(f'<div class="k"><p data-role="?"><b>{place.upper()}</b></p><p data-role="?">Lit in {1840 + 7 * i}, {i * 5 % 23 + 9} metres.</p><p data-role="?">Oil store and boat house.</p></div>'
                    for i, place in enumerate(places))  # fmt: skip
    return style, f'<h1 data-role="h" style="font-size:13pt">REGISTER OF LIGHTS</h1><main>{cards}</main>'


def _play(text: Text) -> tuple[str, str]:
    style = f"body{{font:11pt/1.3 {OLD};margin:25mm 35mm!important}} .a{{text-align:center}} h1{{text-align:center;font-size:13pt;font-weight:normal}} p{{margin:0 0 1.5mm;padding-left:1.5em;text-indent:-1.5em}} b{{font-weight:normal;font-variant:small-caps}} .s{{font-style:italic;text-align:center;text-indent:0}}"
    lines = "".join(
        f'<p data-role="p"><b>{("First Keeper", "Boatman", "The Widow")[i % 3]}.</b> {escape(text.plain(90 + 67 * i % 210))}</p>'
        for i in range(12)
    )
    return (
        style,
        f'<p class="a" data-role="a">THE LAMP &nbsp; [ACT II</p><h1 data-role="h">SCENE III. The lantern room.</h1><p class="s" data-role="?">Enter two Keepers, with oil.</p>{lines}',
    )


def _memorandum(text: Text) -> tuple[str, str]:
    style = f"body{{font:11pt/1.3 {TYPED}}} h1{{font:bold 13pt {TYPED};text-align:center}} .m{{margin:0 0 1mm}} p{{margin:0 0 4mm}} hr{{border:0;border-top:1px solid #000}} h2{{font:inherit;text-decoration:underline;margin:4mm 0 2mm}}"
    heads = "".join(
        f'<p class="m" data-role="?">{a}: {b}</p>'
        for a, b in (
            ("TO", "All keepers"),
            ("FROM", "The Engineer"),
            ("DATE", "2 June 1931"),
            ("SUBJECT", "Fog signals"),
        )
    )
    body = f"""<h1 data-role="h">MEMORANDUM</h1>{heads}<hr><h2 data-role="h">Present state</h2>{text.blocks(320, 260)}<h2 data-role="h">What is proposed</h2>{text.blocks(380)}<h2 data-role="h">Costs</h2>{text.blocks(280, 300)}"""
    return style, body


def _title(text: Text) -> tuple[str, str]:
    style = f"body{{font:12pt/1.4 {OLD};text-align:center}} p,h1,h2{{margin:0 0 6mm;font-weight:normal}} h1{{font-size:30pt;line-height:1.1;letter-spacing:.06em;margin-top:20mm}} h2{{font-size:16pt}} .s{{font-size:10pt}} .e{{margin-top:60mm}}"
    body = """<h1 data-role="h">HISTORY OF<br>THE LIGHTS</h1><p class="s" data-role="any">ON THE COASTS OF</p><h2 data-role="any">Skarnholm and Torgrunn</h2><p data-role="any">by a Keeper of the Board</p>
    <p class="s" data-role="any">with nine plates and a map</p><p class="e" data-role="any">SANDVIK</p><p class="s" data-role="any">Printed for the Board, 1898</p>"""
    return style, body


def _patent(text: Text) -> tuple[str, str]:
    style = f"body{{font:9.5pt/4.2mm {SERIF}}} .a{{display:flex;justify-content:space-between;font-weight:bold;margin:0 0 5mm}} main{{position:relative;columns:2;column-gap:16mm;text-align:justify;height:180mm;column-fill:auto}} main p{{margin:0;text-indent:1.5em}} h2{{font-size:9.5pt;text-align:center;margin:2.1mm 0}} .n{{position:absolute;left:0;right:0;text-align:center;font-size:8.5pt}}"
    numbers = "".join(
        f'<div class="n" style="top:{4.2 * n - 4.2:.1f}mm" data-role="any">{n}</div>' for n in range(5, 41, 5)
    )
    body = f"""<div class="a" data-role="a"><span>1,284,117</span><span>2</span></div><main>{numbers}<h2 data-role="h">LANTERN FOR LIGHTHOUSES</h2>{text.blocks(420, 520, 480, 600, 380, 460, 520)}<h2 data-role="h">CLAIMS</h2>{text.blocks(460, 500, 420)}</main>"""
    return style, body


def _interview(text: Text) -> tuple[str, str]:
    style = f"body{{font:11pt/1.35 {TYPED}}} h1{{font:inherit;font-weight:bold;text-align:center}} p{{margin:0 0 3mm;padding-left:12mm;text-indent:-12mm}}"
    lines = "".join(
        f'<p data-role="p">{"QA"[i % 2]}. &nbsp;{escape(text.plain(70 if i % 2 == 0 else 150 + 40 * i))}</p>'
        for i in range(10)
    )
    return style, f'<h1 data-role="h">EXAMINATION OF THE SECOND KEEPER</h1>{lines}'


def _side_noted(text: Text) -> tuple[str, str]:
    style = f"body{{font:11.5pt/1.3 {OLD};margin:22mm 20mm!important}} .a{{display:flex;justify-content:space-between;width:118mm}} p{{margin:0;text-align:justify;text-indent:1.4em;width:118mm}} .row{{position:relative}} .side{{position:absolute;left:123mm;top:1mm;width:38mm;font-size:8.5pt;line-height:1.15;text-indent:0;text-align:left}}"
    sides = ["Of the first lamps and their oil", "A. D. 1740", "What the keepers were paid", "The loss of the tender"]
    rows = "".join(
        f'<div class="row">{text.block(380 + 90 * i)}<p class="side" data-role="any">{side}</p></div>'
        for i, side in enumerate(sides)
    )
    return (
        style,
        f'<div class="a" data-role="a"><span>88</span><span>OF COAL FIRES</span><span>BOOK II.</span></div>{rows}',
    )


def _pictured(text: Text) -> tuple[str, str]:
    style = f"body{{font:10pt/1.3 {SERIF}}} h1{{font-size:18pt}} p{{margin:0 0 2mm;text-align:justify}} .f{{float:right;width:70mm;margin:1mm 0 3mm 6mm}} .f p{{font:italic 8.5pt/1.2 {SERIF};text-align:left;margin:1mm 0 0}} .l{{float:left;margin:1mm 6mm 3mm 0;width:55mm}}"
    body = f"""<h1 data-role="h">The landing at Torgrunn</h1>{text.blocks(300)}<div class="f">{DRAWING}<p data-role="any">Fig. 4. The tower and its boat, seen from the sea.</p></div>{text.blocks(620, 560, 480)}
    <div class="f l">{DRAWING}<p data-role="any">Fig. 5. The same in winter.</p></div>{text.blocks(600, 520, 380)}"""
    return style, body


def _boxed(text: Text) -> tuple[str, str]:
    style = f"""body{{font:9.5pt/1.3 {SANS}}} h1{{font-size:20pt;margin:0 0 4mm}} main{{columns:2;column-gap:7mm;height:200mm;column-fill:auto}} main p{{margin:0 0 2mm}} h2{{font-size:11pt;margin:3mm 0 1mm}}
    .box{{break-inside:avoid;background:#ddd;padding:3mm;margin:3mm 0}} .frame{{background:none;border:1px solid #000}} .box h2{{margin:0 0 1mm}}"""
    body = f"""<h1 data-role="h">News for the stations</h1><main><h2 data-role="h">The new tender</h2>{text.blocks(420, 520)}<div class="box"><h2 data-role="any">At a glance</h2>{text.block(260, "any")}</div><h2 data-role="h">Leave</h2>{text.blocks(520, 300)}
    <h2 data-role="h">Wireless</h2>{text.blocks(460, 480)}<div class="box frame"><h2 data-role="any">To be returned</h2>{text.block(220, "any")}</div><h2 data-role="h">Births and marriages</h2>{text.blocks(360, 280)}</main>"""
    return style, body


def _report(text: Text) -> tuple[str, str]:
    style = f"""body{{font:10pt/1.3 {SERIF}}} .a{{text-align:right;font-size:8pt;border-bottom:1px solid #000;margin:0 0 4mm}} h2{{font:bold 13pt {SANS};margin:4mm 0 2mm}} h3{{font:bold 10.5pt {SANS};margin:3mm 0 1mm}} p{{margin:0 0 2.5mm}} table{{border-collapse:collapse;margin:2mm 0 1mm;width:120mm;border-top:2px solid #000;border-bottom:2px solid #000}}
    td{{padding:.6mm 3mm;text-align:right}} td:first-child{{text-align:left}} tr:first-child td{{border-bottom:1px solid #000}} .c{{font-size:9pt}} .b{{text-align:center;font-size:8pt}}"""
    rows = "".join(
        f"<tr><td>{name}</td><td>{a}</td><td>{b}</td><td>{a + b}</td></tr>"
        for name, a, b in (("Skarnholm", 412, 88), ("Grimhaug", 377, 91), ("Torgrunn", 290, 64), ("Mewstone", 188, 59))
    )
    body = f"""<p class="a" data-role="a">{text.head("Annual Report of the Board, 1931")}</p><h2 data-role="h">{text.head("4 Oil and coal")}</h2>{text.blocks(420)}<h3 data-role="h">{text.head("4.1 Oil used at the stations")}</h3>{text.blocks(360)}
    <p class="c" data-role="c">{text.head("Table 7. Oil used, in gallons.")}</p><table><tr><td>Station</td><td>Summer</td><td>Winter</td><td>Year</td></tr>{rows}</table>{text.blocks(480, 320)}
    <h3 data-role="h">{text.head("4.2 Coal")}</h3>{text.blocks(420, 380)}<h2 data-role="h">{text.head("5 Boats")}</h2>{text.blocks(360)}<p class="b" data-role="a">{text.head("17")}</p>"""
    return style, body


def _labels(_: Text) -> tuple[str, str]:
    style = f"body{{font:10pt/1.3 {SANS}}} main{{display:grid;grid-template-columns:repeat(3,1fr);gap:8mm 6mm}} p{{margin:0}}"
    names = [
        "Anders Holm",
        "Birte Vang",
        "Carl Oder",
        "Dagny Rusk",
        "Erik Stave",
        "Frida Lund",
        "Gunnar Telle",
        "Hanna Wiik",
        "Ivar Brek",
        "Jorun Falk",
        "Karl Ness",
        "Liv Torp",
    ]
    return style, "<main>" + "".join(
        f'<p data-role="any *">{n}<br>The {("North", "South", "Old")[i % 3]} Light<br>Sandvik {i * 7 + 11}</p>'
        for i, n in enumerate(names)
    ) + "</main>"


def _scripture(text: Text) -> tuple[str, str]:
    style = f"body{{font:9.5pt/1.25 {SERIF}}} .a{{display:flex;justify-content:space-between;border-bottom:1px solid #000;margin:0 0 3mm}} main{{columns:2;column-gap:8mm;column-rule:1px solid #000;text-align:justify;height:180mm;column-fill:auto}} main p{{margin:0;text-indent:1em}} h2{{text-align:center;font-size:11pt;margin:3mm 0 1mm;letter-spacing:.1em}}"
    verses = "".join(f'<p data-role="*">{i + 2} {escape(text.plain(110 + 37 * i % 120))}</p>' for i in range(12))
    more = "".join(f'<p data-role="*">{i + 1} {escape(text.plain(100 + 41 * i % 130))}</p>' for i in range(11))
    return (
        style,
        f'<div class="a" data-role="a"><span>The lamps</span><span>RULES, 6, 7</span><span>and their oil</span></div><main>{verses}<h2 data-role="h">CHAPTER 7</h2>{more}</main>',
    )


def _form(_: Text) -> tuple[str, str]:
    style = f"body{{font:10.5pt/1.3 {SANS}}} h1{{font-size:15pt;text-align:center}} .q{{margin:0 0 5mm;display:flex}} .q i{{flex:1;border-bottom:1px dotted #000;margin-left:2mm;font-style:normal;font-family:{TYPED}}} .k span{{display:inline-block;width:3.5mm;height:3.5mm;border:1px solid #000;margin:0 2mm 0 6mm}}"
    asked = (
        ("Name of the keeper", "Anders Holm"),
        ("Station", "Grimhaug"),
        ("Date of entry into the service", "4 May 1911"),
        ("Last leave", ""),
        ("Reason", "to visit the dentist"),
    )
    lines = "".join(f'<div class="q" data-role="?"><span>{a}</span><i>{b}</i></div>' for a, b in asked)
    return (
        style,
        f'<h1 data-role="h">APPLICATION FOR LEAVE</h1>{lines}<p class="k" data-role="?">Boat needed:<span></span>yes<span></span>no</p><p data-role="p">To be handed to the master of the tender, who passes it on to the harbour office within the week.</p>',
    )


KINDS = (
    Kind("journal", _journal), Kind("letter", _lettered), Kind("minutes with side heads", _numbered), Kind("dictionary", _dictionary),
    Kind("index", _index), Kind("contents", _contents), Kind("newspaper", _newspaper), Kind("verse", _verse), Kind("notes in columns", _notes),
    Kind("two languages", _parallel), Kind("numbered lines", _ruled_lines), Kind("lists", _questions), Kind("magazine", _magazine),
    Kind("spread", _spread, landscape=True), Kind("cards", _cards), Kind("play", _play), Kind("memorandum", _memorandum), Kind("title page", _title),
    Kind("French journal", _journal, "fra"), Kind("German dictionary", _dictionary, "deu"), Kind("Italian notes", _notes, "ita"), Kind("Spanish newspaper", _newspaper, "spa"),
    Kind("patent", _patent), Kind("examination", _interview), Kind("side notes", _side_noted), Kind("wrapped pictures", _pictured), Kind("boxes", _boxed),
    Kind("report", _report), Kind("labels", _labels), Kind("verses in columns", _scripture), Kind("form", _form),
    Kind("Arabic journal", _journal, "ara"), Kind("Arabic newspaper", _newspaper, "ara"), Kind("Hebrew lists", _questions, "heb"), Kind("Russian report", _report, "rus"), Kind("Greek dictionary", _dictionary, "ell"),
)  # fmt: skip


def pages() -> Iterator[tuple[Kind, str]]:
    """Each kind with its page."""
    for i, kind in enumerate(KINDS):
        style, body = kind.make(Text(kind.language, 2 * i))
        yield (
            kind,
            f"""<!doctype html><html lang="{language_tag(kind.language)}" dir="{"rtl" if is_right_to_left(kind.language) else "ltr"}"><style>body{{margin:20mm}} {style}</style>{body}</html>""",
        )
