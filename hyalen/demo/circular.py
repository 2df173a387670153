"""A circular of the archive of our day, which was never on paper: two pages as the browser prints them."""

from __future__ import annotations

from hyalen.demo.markup import page

_STYLE = """
body{font:11pt/1.5 'Liberation Sans';padding:24mm 26mm;color:#1c2b2a} h1{font:700 19pt/1.25 'Liberation Sans';margin:0 0 4mm;color:#143d3a}
h2{font:700 13pt/1.3 'Liberation Sans';margin:6mm 0 2mm;color:#143d3a} p{margin:0 0 3mm} li{margin:0 0 1.4mm}
.rh{position:absolute;top:11mm;left:26mm;right:26mm;font-size:8.5pt;color:#5c6b69} .pn{position:absolute;bottom:11mm;left:0;right:0;text-align:center;font-size:9pt}
table{border-collapse:collapse;margin:2mm 0 4mm;width:100%} th{text-align:left;border-bottom:1.6px solid #143d3a;padding:1.2mm 2mm 1.2mm 0}
td{border-bottom:.6px solid #b9c4c2;padding:1.2mm 2mm 1.2mm 0} td:last-child,th:last-child{text-align:right}
"""


def _sheet(number: int, body: str) -> str:
    head = '<div class="rh" data-role="running_head">Archive of the Skarnholm Lights Board: circular to readers, No. 3</div>'
    return page(_STYLE, f'{head}{body}<div class="pn" data-role="page_number">{number}</div>')


_ROWS = (
    ("Notice to Mariners 17", "March 1931", "2"), ("Inspection of Torgrunn", "May 1931", "3"), ("Fog signal log", "March 1931", "2"),
    ("Bekanntmachung", "April 1931", "1"), ("Circular to Keepers 8", "April 1931", "2"), ("The new lantern for Hallvik", "1931", "1"),
)  # fmt: skip

CIRCULAR_A = _sheet(
    1,
    """
<h1 data-role="heading">Box 14 is open to readers</h1>
<p data-role="paragraph">The papers of the year 1931 have been put in order and may be asked for from Monday. They were
kept in the loft of the harbour office, and the damp has left its mark: some sheets are stained, a few have lost a corner,
and the log of the fog signal bends so deep into its spine that it must not be pressed flat.</p>
<h2 data-role="heading">What the box holds</h2>
<p data-role="paragraph">Each paper has been scanned once, in colour, and is kept as the scanner gave it. What readers see is
a cleaned copy with its text, so that a name or a ship can be looked for.</p>
<table data-role="table"><tr><th>Paper</th><th>Of</th><th>Pages</th></tr>"""
    + "".join(f"<tr><td>{a}</td><td>{b}</td><td>{c}</td></tr>" for a, b, c in _ROWS)
    + """</table>
<p data-role="paragraph">Letters in other languages are described in English in the list of the box.</p>
""",
)

CIRCULAR_B = _sheet(
    2,
    """
<h2 data-role="heading">How to ask for a paper</h2>
<ol><li>Give the number of the box and the title as it stands in the list.</li>
<li>Say whether a copy on the screen will do, which is there at once.</li>
<li>For the paper itself come on a Tuesday or a Thursday, with clean hands and a pencil.</li></ol>
<h2 data-role="heading">What we ask of readers</h2>
<p data-role="paragraph">Where the text of a copy is wrong, tell us the page and the line. A wrong figure in a table of tides is
worth more to us than a word of thanks, though we are glad of both.</p>
<p data-role="paragraph">Pictures may be printed elsewhere if the name of the archive stands beneath them.</p>
""",
)
