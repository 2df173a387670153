"""Further papers of the Skarnholm Lights Board: columns, tables, a form, three languages, Arabic, few dots an inch."""

from __future__ import annotations

from hyalen.demo.markup import page

_COLUMNS = """
body{font:9.4pt/1.36 'Liberation Serif';padding:14mm 14mm} h1{font:700 24pt/1.15 'Liberation Serif';text-align:center;
margin:0 0 1mm;letter-spacing:.03em} .sub{text-align:center;border-top:1px solid #222;border-bottom:1px solid #222;
padding:1.2mm;margin:0 0 5mm} .four{columns:4;column-gap:6mm;text-align:justify;hyphens:auto}
h2{font:700 11.5pt/1.2 'Liberation Serif';margin:0 0 1.6mm;text-align:left} p{margin:0;text-indent:3.4mm}
h2 + p{text-indent:0} .gap{margin-top:3.4mm} .quote{border-top:2.4px solid #222;border-bottom:2.4px solid #222;
font:italic 15pt/1.25 'Liberation Serif';padding:2.4mm 0;margin:3.4mm 0;text-align:left;text-indent:0}
"""

GAZETTE = page(
    _COLUMNS,
    """
<h1 data-role="heading">THE LIGHTS GAZETTE</h1>
<p class="sub" data-role="paragraph">Printed for the keepers of the Skarnholm Lights Board, Midsummer 1931</p>
<div class="four">
<h2 data-role="heading">The winter in figures</h2>
<p data-role="paragraph">The Secretary has laid before the Board a statement of the winter’s work. In the six months to the
end of March the eleven lights of the district were shown for twenty-seven thousand hours, and failed for nine.</p>
<p data-role="paragraph">Of those nine hours seven belong to a single night, when ice upon the lantern of Hallvik could not be
cleared until the wind had dropped. No vessel was endangered, for the fog signal was kept going by hand.</p>
<p data-role="paragraph">Oil was drawn to the amount of four hundred casks, a tenth less than in the winter before. The saving
is owed to the new mantles, of which the keepers speak well.</p>
<h2 class="gap" data-role="heading">From the stations</h2>
<p data-role="paragraph">Torgrunn has its rail again, and the two cracked panes have been replaced. The keeper thanks the crew of
the tender, who carried the glass up the south steps on their backs without breaking a corner of it.</p>
<p data-role="paragraph">At Skarn a cow has been landed. She is the property of the second keeper, who asks that she be not
mentioned in the accounts, since he feeds her himself.</p>
<p class="quote" data-role="paragraph">The light was shown for twenty-seven thousand hours, and failed for nine.</p>
<p data-role="paragraph">The garden wall at Hallvik was thrown down by the sea in February. It will be built up again, higher by
two courses, when the masons have done with the mole.</p>
<h2 class="gap" data-role="heading">Rules to be remembered</h2>
<p data-role="paragraph">Keepers are reminded that the log is to be written up at the end of every watch, and not from memory at
the end of the week. An entry that is found to be wrong is struck through with one line, so that it can be read.</p>
<p data-role="paragraph">Visitors may be shown the lantern between ten and four o’clock, two at a time. They are not to be left
alone with the machinery, nor are their children.</p>
<p data-role="paragraph">The Board’s boats carry letters without charge. Parcels above a stone in weight are paid for at the
harbour office, and livestock by arrangement with the master.</p>
<h2 class="gap" data-role="heading">An old lamp</h2>
<p data-role="paragraph">Among the lumber of the oil store at Skarn a lamp has been found that must be older than the tower. It
burnt fish oil, from nine wicks, and its glass is as thick as a thumb. The Board wishes to have it cleaned and set up in
the harbour office, where it may remind the clerks of what they are for.</p>
<p data-role="paragraph">Whoever knows more of its history is asked to write to the Secretary. There is said to have been a
picture of it in the house of the late Captain Lund, which was sold.</p>
</div>
""",
)

_TIDES = """
body{font:11pt/1.4 'Liberation Sans';padding:20mm 24mm} h1{font:700 16pt/1.3 'Liberation Sans';margin:0 0 2mm}
p{margin:0 0 5mm} table{border-collapse:collapse;margin:0 0 9mm} td{padding:1mm 5mm 1mm 0;text-align:right}
td:first-child{text-align:left;min-width:34mm} .form td{border:1px solid #222;text-align:left;padding:2.4mm 3mm;min-width:36mm}
"""

_TIDE_ROWS = [
    ("Monday", "3.12", "9.4", "9.31", "1.2", "15.40", "9.1"), ("Tuesday", "3.58", "9.9", "10.14", "0.8", "16.25", "9.6"),
    ("Wednesday", "4.41", "10.3", "10.57", "0.5", "17.08", "10.0"), ("Thursday", "5.24", "10.4", "11.39", "0.4", "17.52", "10.2"),
    ("Friday", "6.08", "10.2", "12.23", "0.6", "18.37", "10.1"), ("Saturday", "6.55", "9.7", "13.10", "1.0", "19.26", "9.8"),
    ("Sunday", "7.49", "9.1", "14.02", "1.6", "20.22", "9.3"),
]  # fmt: skip

TIDES = page(
    _TIDES,
    '<h1 data-role="heading">Tides at the south steps</h1><p data-role="paragraph">Hours of high and low water in the week after '
    "Midsummer, with heights in feet above the datum of the chart. The boat lands at half tide and above.</p>"
    '<table data-role="table"><tr>'
    + "".join(f"<td>{t}</td>" for t in ("", "High", "Feet", "Low", "Feet", "High", "Feet"))
    + "</tr>"
    + "".join("<tr>" + "".join(f"<td>{v}</td>" for v in row) + "</tr>" for row in _TIDE_ROWS)
    + '</table><h1 data-role="heading">Landing return</h1><p data-role="paragraph">To be filled in by the master of the tender '
    "and handed to the harbour office on the day.</p>"
    '<table class="form" data-role="table"><tr><td>Station</td><td>Torgrunn</td><td>Date</td><td>26 June 1931</td></tr>'
    "<tr><td>Persons landed</td><td>2</td><td>Taken off</td><td>1</td></tr>"
    "<tr><td>Casks of oil</td><td>14</td><td>Of water</td><td>6</td></tr></table>",
)

_THREE = """
body{font:11.5pt/1.5 'EB Garamond','Liberation Serif';padding:24mm 26mm} h1{font:700 17pt/1.3 'EB Garamond','Liberation Serif';
margin:0 0 5mm;text-align:center} p{margin:0 0 4mm;text-align:justify}
"""

THREE_LANGUAGES = page(
    _THREE,
    """
<h1 data-role="heading">To all who come ashore</h1>
<p data-role="paragraph" lang="en">This rock belongs to the Lights Board. Whoever is driven here by weather finds shelter in the lower
room of the tower, where there is bread, water and a fire laid. We ask only that what was used be written in the book, so that
the keepers can replace it before the next has need of it.</p>
<p data-role="paragraph" lang="fr">Ce rocher appartient au service des phares. Quiconque y est jeté par le mauvais temps trouve abri dans la
salle basse de la tour, où il y a du pain, de l’eau et un feu préparé. Nous demandons seulement que ce qui a été employé soit
inscrit dans le livre, afin que les gardiens puissent le remplacer.</p>
<p data-role="paragraph" lang="de">Dieser Felsen gehört der Leuchtfeuerbehörde. Wen das Wetter hierher verschlägt, der findet Obdach im unteren
Raum des Turmes, wo Brot, Wasser und ein gerichtetes Feuer bereit sind. Wir bitten nur darum, dass in das Buch geschrieben
wird, was verbraucht worden ist, damit die Wärter es ersetzen können.</p>
""",
)

ARABIC = page(
    "body{font:15pt/1.9 'Noto Naskh Arabic','Noto Sans Arabic',serif;padding:26mm 26mm} p{margin:0 0 6mm}",
    """
<div dir="rtl"><p data-role="paragraph">إلى إدارة المنارات في سكارنهولم</p>
<p data-role="paragraph">تحية طيبة، وصلت سفينتنا إلى الميناء في الثامن من شهر يونيو بعد رحلة طويلة، ونشكر حراس المنارة الذين أرشدونا
في الضباب إلى الطريق الآمن بين الصخور.</p>
<p data-role="paragraph">نرجو أن ترسلوا إلينا نسخة من الخريطة الجديدة للساحل، وسوف ندفع ثمنها عند زيارتنا القادمة في فصل الخريف.</p>
<p data-role="paragraph">مع خالص الشكر والتقدير، قائد السفينة.</p></div>
""",
    "ar",
)
