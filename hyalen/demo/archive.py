"""Papers of the Skarnholm Lights Board, a lighthouse service that never existed, as HTML pages."""

from __future__ import annotations

from dataclasses import dataclass

from hyalen.demo.circular import CIRCULAR_A, CIRCULAR_B
from hyalen.demo.gazette import ARABIC, GAZETTE, THREE_LANGUAGES, TIDES
from hyalen.demo.markup import page
from hyalen.demo.spoil import AGED, GREENISH, ROSE, Curl, Spoiling


@dataclass(frozen=True)
class Paper:
    """A document of the archive: its file, the language it is to be read in, and its pages.

    `opened` pages were scanned two at a time, as the book lay open; `duplex` ones are fronts and backs.
    `dpi` is what they were scanned at. A `born_digital` one was never on paper.
    """

    file: str
    title: str
    languages: tuple[str, ...]
    pages: tuple[tuple[str, Spoiling], ...]
    opened: bool = False
    duplex: bool = False
    dpi: float = 300.0
    born_digital: bool = False


_LETTER = """
body{font:11.5pt/1.55 'Courier Prime','Liberation Mono',monospace;padding:24mm 24mm 20mm 32mm}
p{margin:0 0 5mm} .head{text-align:center;font:700 15pt/1.3 'EB Garamond','Liberation Serif';letter-spacing:.1em;
 margin-bottom:9mm;border-bottom:1.2px solid #222;padding-bottom:3mm}
.right{text-align:right}
"""

LETTER_1 = page(
    _LETTER,
    """
<p class="head" data-role="heading">SKARNHOLM LIGHTS BOARD</p>
<p class="right" data-role="paragraph">Torgrunn Station, 9th March 1931</p>
<p data-role="paragraph">To the Secretary of the Board, Harbour Street, Skarnholm.</p>
<p data-role="paragraph">Sir, I have the honour to report that during the gale of the night of the 6th
the seaward gallery rail was carried away over a length of eleven feet, and that two panes of the lantern
on the north-west side were cracked by flying shingle.</p>
<p data-role="paragraph">The light was not at any time extinguished. Assistant Keeper Halvard Roe kept the
pressure by hand from a quarter past two until the engine could be started again at ten minutes to five,
and I should wish his conduct to be brought to the notice of the Board.</p>
<p data-role="paragraph">I have caused the broken panes to be backed with storm shutters. As long as they
remain so, the sector between 292 and 317 degrees is obscured, and I would ask that a Notice to Mariners be
issued without delay.</p>
<p data-role="paragraph">The following stores are wanted for the repair and are not held at this station:</p>
<p data-role="list_item">1. Four panes of lantern glass, pattern C, with putty and brass clips.</p>
<p data-role="list_item">2. Two lengths of gallery rail, galvanised, each of six feet.</p>
<p data-role="list_item">3. Forty mantles of the 55 millimetre pattern.</p>
<div class="stamp" data-role="mark" style="right:30mm;bottom:24mm;transform:rotate(-9deg)">RECEIVED<br>14 MAR 1931<br>SKARNHOLM</div>
""",
)
LETTER_2 = page(
    _LETTER,
    """
<p data-role="paragraph">The tender could land them at the south steps in any wind between west and
north-east; the boat landing itself is choked with weed and must be considered unusable until the spring
tides have cleared it.</p>
<p data-role="paragraph">I regret to add that the rain-water cistern has been fouled by salt spray. We have
boiled what we drink since the 7th and hold fresh water for nineteen days at the usual allowance.</p>
<p data-role="paragraph">The fog signal was sounded for thirty-one hours in the week under report. Its
compressor runs hot at the second stage, and I have reduced the working pressure from 35 to 31 pounds until
the Engineer has seen it.</p>
<p data-role="paragraph">I have the honour to be, Sir, your obedient servant,</p>
<p class="right" data-role="paragraph">E. Sandvik, Principal Keeper</p>
<div class="stamp" data-role="mark" style="left:40mm;bottom:52mm;transform:rotate(6deg);color:#2b3f73;border-color:#2b3f73">COPY TO ENGINEER</div>
""",
)

_NOTICE = """
body{font:10.5pt/1.42 'Liberation Serif';padding:20mm 20mm 18mm}
h1{font:700 19pt/1.2 'Liberation Serif';text-align:center;margin:0 0 2mm;letter-spacing:.04em}
h2{font:700 12.5pt/1.3 'Liberation Serif';margin:0 0 3mm}
.sub{text-align:center;margin:0 0 7mm;border-bottom:1px solid #222;padding-bottom:4mm}
.two{display:grid;grid-template-columns:1fr 1fr;gap:9mm;text-align:justify} p{margin:0 0 3.2mm}
"""

NOTICE_1 = page(
    _NOTICE,
    """
<h1 data-role="heading">NOTICE TO MARINERS No. 17</h1>
<p class="sub" data-role="paragraph">Skarnholm Lights Board, 21st March 1931</p>
<div class="two"><div lang="en">
<h2 data-role="heading">Torgrunn Light obscured</h2>
<p data-role="paragraph">Mariners are informed that, following damage by storm, the main light at Torgrunn is
obscured between the bearings of 292 and 317 degrees as seen from seaward. The character of the light is
otherwise unaltered: two white flashes every fifteen seconds, visible in clear weather at eighteen miles.</p>
<p data-role="paragraph">The repair will be taken in hand as soon as the tender can land, and a further notice
will be given when the full arc is shown again.</p>
<h2 data-role="heading">Fog signal reduced</h2>
<p data-role="paragraph">Until further notice the siren at the same station is sounded at reduced pressure.
Its range must not be taken for more than three miles. Vessels approaching from the north are warned to give the
Skarn rocks a berth of at least one mile.</p>
<h2 data-role="heading">Buoy adrift</h2>
<p data-role="paragraph">The black conical buoy off Hallvik ledge has parted its mooring and was last seen
drifting to the eastward. It is unlighted and a danger to small craft.</p>
</div><div lang="fr">
<h2 data-role="heading">Feu de Torgrunn masqué</h2>
<p data-role="paragraph">Les navigateurs sont informés qu’à la suite d’une avarie causée par la tempête, le feu
principal de Torgrunn est masqué entre les relèvements 292 et 317 degrés, pris du large. Le caractère du feu
demeure inchangé : deux éclats blancs toutes les quinze secondes, visibles par temps clair à dix-huit milles.</p>
<p data-role="paragraph">La réparation sera entreprise dès que le ravitailleur pourra accoster, et un nouvel avis
sera donné lorsque le secteur entier sera rétabli.</p>
<h2 data-role="heading">Signal de brume réduit</h2>
<p data-role="paragraph">Jusqu’à nouvel ordre, la sirène de la même station fonctionne à pression réduite. Sa
portée ne doit pas être estimée à plus de trois milles. Les navires venant du nord sont avertis de passer à un
mille au moins des roches de Skarn.</p>
<h2 data-role="heading">Bouée à la dérive</h2>
<p data-role="paragraph">La bouée conique noire du banc de Hallvik a rompu son mouillage et a été vue en dernier
lieu dérivant vers l’est. Elle n’est pas éclairée et présente un danger pour les petites embarcations.</p>
</div></div>
""",
)
NOTICE_2 = page(
    _NOTICE,
    """
<div class="two"><div lang="en">
<h2 data-role="heading">Soundings off the south mole</h2>
<p data-role="paragraph">A survey made in February shows that the bank at the head of the south mole has grown
by some forty yards to the southward. The least depth found was nine feet at low water of spring tides.</p>
<p data-role="paragraph">The leading lights no longer carry a vessel clear of the bank. Masters should open the
lower light to the westward of the upper one until the church spire bears due north.</p>
<h2 data-role="heading">Charts affected</h2>
<p data-role="paragraph">The Board’s charts 4, 9 and 11 are to be corrected by hand. Copies of this notice may
be had free of charge at the harbour office.</p>
</div><div lang="fr">
<h2 data-role="heading">Sondes devant le môle sud</h2>
<p data-role="paragraph">Un levé exécuté en février montre que le banc situé à l’extrémité du môle sud s’est
étendu d’une quarantaine de yards vers le sud. La moindre profondeur trouvée était de neuf pieds à basse mer de
vive eau.</p>
<p data-role="paragraph">L’alignement des feux ne conduit plus à l’écart du banc. Les capitaines ouvriront le feu
inférieur à l’ouest du feu supérieur jusqu’à relever le clocher au nord vrai.</p>
<h2 data-role="heading">Cartes à corriger</h2>
<p data-role="paragraph">Les cartes 4, 9 et 11 du service sont à corriger à la main. Des exemplaires du présent
avis sont délivrés gratuitement au bureau du port.</p>
</div></div>
""",
)

_REPORT = """
body{font:11pt/1.45 'EB Garamond','Liberation Serif';padding:27mm 24mm 24mm}
h1{font:700 21pt/1.2 'EB Garamond','Liberation Serif';margin:0 0 5mm} h2{font:700 14.5pt/1.3 'EB Garamond','Liberation Serif';margin:5mm 0 2.5mm}
p{margin:0 0 3mm;text-align:justify;hyphens:manual} .rh{position:absolute;top:13mm;left:24mm;right:24mm;font-size:9.5pt;font-style:italic}
.pn{position:absolute;bottom:12mm;left:0;right:0;text-align:center;font-size:10pt}
table{border-collapse:collapse;width:100%;margin:2mm 0 4mm;font:10.5pt 'Liberation Sans'} td,th{border:1.3px solid #1b1b1b;padding:1.6mm 2.4mm;text-align:left}
.cap{font-size:9.5pt;font-style:italic;text-align:left} svg{display:block;margin:3mm auto}
"""


def _report(number: int, body: str) -> str:
    return page(
        _REPORT,
        f'<div class="rh" data-role="running_head">Report of the Inspector of Lights, 1931</div>{body}'
        f'<div class="pn" data-role="page_number">{number}</div>',
    )


_TOWER = """
<svg data-role="figure" width="330" height="250" viewBox="0 0 330 250" fill="none" stroke="#111" stroke-width="2">
<path d="M20 228 C70 205 110 236 160 222 S260 205 312 226" stroke-width="3"/><path d="M60 240 l18 -9 22 8 26 -10 30 9"/>
<path d="M132 220 L146 70 L186 70 L200 220 Z" fill="#ddd"/><path d="M138 160 L194 160 L191 128 L141 128 Z" fill="#333"/>
<rect x="140" y="58" width="52" height="12" fill="#555"/><rect x="150" y="32" width="32" height="26" fill="#fff"/>
<path d="M146 32 L166 12 L186 32 Z" fill="#222"/><circle cx="166" cy="45" r="7" fill="#111"/>
<path d="M182 42 L318 20 M182 48 L318 76 M150 42 L14 20 M150 48 L14 76" stroke-dasharray="7 5"/>
<rect x="216" y="186" width="62" height="36" fill="#ccc"/><path d="M210 188 L247 164 L284 188 Z" fill="#444"/>
<path d="M160 220 v-26 h14 v26" fill="#222"/></svg>
"""

REPORT_1 = _report(
    4,
    f"""
<h1 data-role="heading">Torgrunn Station</h1>
<p data-role="paragraph">I landed from the tender <i>Skua</i> on the 28th of April and remained two days. The
station was found in good order, allowing for the damage of the March gale, and the keepers in good health.</p>
<h2 data-role="heading">The tower</h2>
<p data-role="paragraph">The tower stands eighty-one feet to the gallery. The masonry is sound; the pointing on
the weather side has perished to a depth of half an inch and should be raked out and renewed before the autumn. The
day mark, a black band upon white, has been repainted.</p>
{_TOWER}
<p class="cap" data-role="caption">Figure 1. Torgrunn from the south landing, with the keepers’ house.</p>
<h2 data-role="heading">The light</h2>
<p data-role="paragraph">The apparatus was run for six hours under my eyes and kept its period to within a
quarter of a second. The mercury was strained and topped up by two pounds. I recommend that the spare burner be
sent to the depot for overhaul, since its needle valve no longer closes without force.</p>
""",
)
REPORT_2 = _report(
    5,
    """
<h2 data-role="heading">Oil and stores</h2>
<p data-role="paragraph">The oil was gauged in my presence. What was found agrees with the ledger but for the
drum that was lost from the south steps in February, which the Principal Keeper had duly reported.</p>
<table data-role="table"><tr><th>Article</th><th>Received</th><th>Used</th><th>Remaining</th></tr>
<tr><td>Paraffin, gallons</td><td>640</td><td>412</td><td>228</td></tr>
<tr><td>Lubricating oil, pints</td><td>96</td><td>51</td><td>45</td></tr>
<tr><td>Mantles</td><td>120</td><td>84</td><td>36</td></tr>
<tr><td>Cotton waste, pounds</td><td>60</td><td>37</td><td>23</td></tr></table>
<p class="cap" data-role="caption">Table 1. Stores at Torgrunn, January to April 1931.</p>
<h2 data-role="heading">The fog signal</h2>
<p data-role="paragraph">The compressor was opened up. The second-stage valve was found carboned and its seat
scored; it has been ground in, and the working pressure may be restored to thirty-five pounds. A new seat should be
ordered against the winter.</p>
<h2 data-role="heading">Matters to be taken in hand</h2>
<p data-role="list_item">1. Renewal of eleven feet of gallery rail on the seaward side.</p>
<p data-role="list_item">2. Four panes of lantern glass, to be landed with the next relief.</p>
<p data-role="list_item">3. Cleansing and liming of the rain-water cistern.</p>
<p data-role="list_item">4. Repointing of the tower from the gallery to the second string course.</p>
<p data-role="paragraph">Of these the first and second are the most pressing, because as long as they are wanting
the light cannot be shown over its whole arc, and the Board is answerable for</p>
""",
)
REPORT_3 = _report(
    6,
    """
<p data-role="paragraph">every hour in which it is not. The keepers have done what could be done with what they
had, and more could not have been asked of them.</p>
<h2 data-role="heading">The keepers</h2>
<p data-role="paragraph">Principal Keeper Sandvik has served thirty-one years without a day’s absence from duty.
Assistant Keeper Roe held the pressure of the burner by hand for two hours and thirty-five minutes on the night of
the gale, and I join in asking that it be recorded in the Board’s minutes.</p>
<p data-role="paragraph">The house is dry and well kept. The stove in the assistants’ kitchen smokes in southerly
winds and wants a taller pot. A case of books from the Board’s library was received with much pleasure.</p>
<h2 data-role="heading">Conclusion</h2>
<p data-role="paragraph">Subject to the repairs named above I consider the station efficient, and have so entered it
in the register.</p>
<p data-role="paragraph">Marius Hellevik, Inspector of Lights. Skarnholm, 6th May 1931.</p>
""",
)

_LOG = """
body{font:11.5pt/1.5 'EB Garamond','Liberation Serif';padding:24mm 20mm 20mm}
h1{font:700 17pt/1.2 'EB Garamond','Liberation Serif';margin:0 0 4mm} h2{font:700 13pt/1.3 'EB Garamond','Liberation Serif';margin:4mm 0 1.5mm}
p{margin:0 0 2.6mm;text-align:justify} .pn{position:absolute;bottom:10mm;left:0;right:0;text-align:center;font-size:10pt}
"""


def _log(number: int, body: str) -> str:
    return page(_LOG, f'{body}<div class="pn" data-role="page_number">{number}</div>')


LOG_1 = _log(
    62,
    """
<h1 data-role="heading">Log of the fog signal, Torgrunn</h1>
<h2 data-role="heading">Monday, 2nd March</h2>
<p data-role="paragraph">Wind north-west, fresh, with snow showers. The signal was started at twenty minutes past
four in the morning, when the church at Hallvik was lost to sight, and kept going until noon. The compressor ran
steadily at thirty-five pounds and the siren took its charge every ninety seconds without missing once.</p>
<p data-role="paragraph">The steamer <i>Halvdan</i> answered with three long blasts at ten and was seen to pass the
outer buoy a quarter of an hour later. Her master sent a boat with newspapers and a sack of potatoes.</p>
<h2 data-role="heading">Tuesday, 3rd March</h2>
<p data-role="paragraph">Calm and clear until the evening. The air receiver was blown down and a pint of water and
rust drawn from it. The second-stage valve was taken out and looked at: the seat is scored on the side away from
the spring, and will not last the summer. Kept a note of it for the Engineer.</p>
<p data-role="paragraph">Assistant Keeper Roe painted the horn inside and out. Used four pints of the red lead that
came with the autumn relief, leaving eleven.</p>
<h2 data-role="heading">Wednesday, 4th March</h2>
<p data-role="paragraph">Fog from the first hour. The signal was sounded for nineteen hours without a stop. Fuel for
the engine came to twelve gallons and a half, which is a gallon more than the table allows for the time.</p>
""",
)
LOG_2 = _log(
    63,
    """
<h2 data-role="heading">Thursday, 5th March</h2>
<p data-role="paragraph">The fog lifted at six. Glass falling all day, from 29.81 at eight in the morning to 29.02
at midnight, the lowest that has been written in this book since it was begun. Everything loose on the gallery was
brought in, and the boat hauled up to the second ring and lashed.</p>
<h2 data-role="heading">Friday, 6th March</h2>
<p data-role="paragraph">Whole gale from the north-west with a very heavy sea. Green water came over the wall of the
yard from four in the afternoon and the cistern was fouled. At eleven the seaward rail of the gallery went, and two
panes of the lantern were cracked by shingle. The light was kept, and the signal was sounded whenever the snow was
so thick that the south steps could not be seen.</p>
<p data-role="paragraph">The engine stopped at a quarter past two with water in its fuel. Roe held the pressure of the
burner by hand until it could be started again at ten minutes to five.</p>
<h2 data-role="heading">Saturday, 7th March</h2>
<p data-role="paragraph">Wind falling and drawing to the west. Counted the damage, and wrote it in the defect book.
Boiled water for drinking. Sounded the signal for two hours in the forenoon at thirty-one pounds, and hold to that
figure until the compressor has been seen.</p>
""",
)

PROCLAMATION = page(
    _NOTICE,
    """
<h1 data-role="heading">BEKANNTMACHUNG FÜR SEEFAHRER</h1>
<p class="sub" data-role="paragraph">Skarnholmer Leuchtfeueramt, 2. April 1931</p>
<h2 data-role="heading">Wiederherstellung des Feuers von Torgrunn</h2>
<p data-role="paragraph">Das Hauptfeuer von Torgrunn wird vom Abend des 14. April an wieder über den ganzen Bogen
gezeigt. Die zerbrochenen Scheiben der Laterne sind ersetzt, das Geländer der Galerie ist erneuert. Kennung und
Tragweite bleiben unverändert: zwei weiße Blitze alle fünfzehn Sekunden, sichtbar auf achtzehn Seemeilen.</p>
<h2 data-role="heading">Nebelsignal</h2>
<p data-role="paragraph">Die Sirene derselben Station arbeitet bis auf weiteres mit vermindertem Druck. Auf ihre
Reichweite ist über drei Seemeilen hinaus kein Verlass. Schiffe, die von Norden kommen, werden gebeten, den
Klippen von Skarn mindestens eine Seemeile Raum zu geben.</p>
<h2 data-role="heading">Tonne von Hallvik</h2>
<p data-role="paragraph">Die schwarze Spitztonne vor der Bank von Hallvik ist geborgen und wird nach der
Ausbesserung an ihrem alten Platz ausgelegt. Bis dahin bezeichnet eine rote Fahne auf einem Prahm die Stelle.</p>
<h2 data-role="heading">Fahrwasser am Südhaupt</h2>
<p data-role="paragraph">Die Bank am Kopf der Südmole hat sich weiter nach Süden ausgedehnt. Die geringste Tiefe
beträgt bei Springniedrigwasser neun Fuß. Die Richtfeuer führen nicht mehr frei von der Bank; Schiffsführer
halten das untere Feuer westlich des oberen, bis der Kirchturm rechtweisend Nord peilt.</p>
""",
    "de",
)

CIRCULAR_1 = _report(
    1,
    """
<h1 data-role="heading">Circular to Keepers, No. 8</h1>
<p data-role="paragraph">The Board has had before it the returns of all stations for the quarter that ended on the
31st of March, and desires the attention of Principal Keepers to the matters that follow.</p>
<h2 data-role="heading">Returns</h2>
<p data-role="paragraph">Returns are to be made up on the last day of the month and not, as has been found at two
stations, on the day before the relief. Where the relief is delayed the return is to wait for it.</p>
<p data-role="paragraph">Quantities are to be given in gallons and pints, pounds and ounces, and no others. A return in
which a figure has been scraped out will be sent back; a wrong figure is to be struck through and the right one
written above it, with initials.</p>
<h2 data-role="heading">Oil</h2>
<p data-role="paragraph">Oil is to be gauged on the first and the fifteenth of each month in the presence of two
keepers. The dip is to be read three times and the middle reading entered.</p>
<h2 data-role="heading">Visitors</h2>
<p data-role="paragraph">Visitors are to be received between ten and four, weather allowing, and are to be shown the
apparatus only while it is at rest. No gratuity may be taken.</p>
""",
)
CIRCULAR_2 = _report(
    2,
    """
<h2 data-role="heading">Health</h2>
<p data-role="paragraph">Lime juice is issued from this quarter at the rate of one ounce a man a day when fresh
vegetables have not been had for ten days. It is not to be kept in tin.</p>
<p data-role="paragraph">Each station will find with the next relief a chest of medicines, with a list and directions
in the lid. What has been used is to be entered in the return, and the empty bottles sent back.</p>
<h2 data-role="heading">Books</h2>
<p data-role="paragraph">The library cases will be exchanged in May. Keepers are asked to see that no volume is kept
back, since a case that is short cannot be sent on to the next station.</p>
<h2 data-role="heading">Boats</h2>
<p data-role="paragraph">No boat is to be taken out after dark but to save life. Oars, thole pins and the bailer are
to be looked over on the first of every month and the plug tied to the thwart with a lanyard.</p>
<p data-role="paragraph">By order of the Board. Skarnholm, 10th April 1931.</p>
""",
)

PLATE = _report(
    17,
    """
<h1 data-role="heading">The new lantern for Hallvik</h1>
<p data-role="paragraph">The lantern that is to replace the one of 1874 was set up in the yard at Skarnholm and lighted
for three nights, so that the Board might judge of it before it is shipped.</p>
<div data-role="figure" style="width:120mm;height:84mm;margin:4mm auto;background:#fff"></div>
<p class="cap" data-role="caption">Plate 3. The lantern in the yard, seen from the mole at dusk.</p>
<p data-role="paragraph">It stands nine feet from the gallery floor to the ball. The glazing is of bent plate, three
eighths of an inch thick, in twelve panes, and the roof of copper on a frame of gun-metal. The ventilator in the ball
drew well in all winds and did not once blow down.</p>
<p data-role="paragraph">With the burner of 55 millimetres the power of the beam was measured from the mole as forty-one
thousand candles, against nineteen thousand from the present apparatus. The makers undertook to have it landed at
Hallvik before the end of June.</p>
""",
)

ARCHIVE = (
    Paper(
        "Letter from Torgrunn 1931.tif",
        "Letter from Torgrunn Station, 9 March 1931",
        ("eng",),
        (
            (
                LETTER_1,
                Spoiling(skew=2.3, bed=0.35, tint=AGED, shade=0.3, specks=520, noise=5, punch_holes=2, fade=0.35),
            ),
            (
                LETTER_2,
                Spoiling(skew=-1.4, bed=0.3, tint=AGED, shade=0.35, specks=420, noise=6, punch_holes=2, fade=0.45),
            ),
        ),
    ),
    Paper(
        "Notice to Mariners 17.pdf",
        "Notice to Mariners No. 17, 1931",
        ("eng", "fra"),
        (
            (
                NOTICE_1,
                Spoiling(skew=-2.8, bed=0.4, tint=GREENISH, shade=0.3, specks=300, noise=5, blur=0.0022, fade=0.3),
            ),
            (NOTICE_2, Spoiling(skew=1.1, bed=0.25, tint=GREENISH, shade=0.4, specks=350, noise=5, turn=180)),
        ),
    ),
    Paper(
        "Inspection of Torgrunn 1931.pdf",
        "Report of the Inspector of Lights on Torgrunn Station, 1931",
        ("eng",),
        (
            (REPORT_1, Spoiling(skew=1.7, bed=0.35, tint=ROSE, shade=0.25, specks=300, noise=5)),
            (REPORT_2, Spoiling(skew=-0.9, bed=0.3, tint=AGED, shade=0.3, specks=380, noise=6, fade=0.3)),
            (
                REPORT_3,
                Spoiling(skew=3.4, bed=0.45, bed_level=24, tint=ROSE, shade=0.35, specks=260, noise=5, blur=0.002),
            ),
        ),
    ),
    Paper(
        "Fog signal log 1931.pdf",
        "Log of the fog signal, Torgrunn, March 1931",
        ("eng",),
        (
            (LOG_1, Spoiling(curl=Curl(depth=0.75, reach=1.0, right=True, shadow=0.45), tint=AGED, shade=0.15)),
            (LOG_2, Spoiling(curl=Curl(depth=0.75, reach=1.0, shadow=0.45), tint=AGED, shade=0.2)),
        ),
        opened=True,
    ),
    Paper(
        "Bekanntmachung April 1931.jpg",
        "Bekanntmachung für Seefahrer, April 1931",
        ("deu",),
        (
            (
                PROCLAMATION,
                Spoiling(corners=((0.12, 0.06), (0.88, 0.09), (0.96, 0.95), (0.04, 0.92)), tint=AGED, noise=5, jpeg=82),
            ),
        ),
    ),
    Paper(
        "Circular to Keepers 8.tif",
        "Circular to Keepers No. 8, 1931",
        ("eng",),
        (
            (CIRCULAR_1, Spoiling(show_through=0.34, tint=AGED, shade=0.15, noise=4, skew=0.7)),
            (CIRCULAR_2, Spoiling(show_through=0.34, tint=AGED, shade=0.15, noise=4, skew=-0.5)),
        ),
        duplex=True,
    ),
    Paper(
        "Lantern for Hallvik.png",
        "The new lantern for Hallvik, 1931",
        ("eng",),
        (
            (
                PLATE,
                Spoiling(
                    skew=-1.6, bed=0.3, tint=GREENISH, specks=160, noise=3, punch_holes=2, streaks=2, folds=1, staples=1
                ),
            ),
        ),
    ),
    Paper(
        "Lights Gazette Midsummer 1931.pdf",
        "The Lights Gazette, Midsummer 1931",
        ("eng", "fra", "deu"),
        (
            (GAZETTE, Spoiling(skew=0.9, bed=0.2, tint=AGED, shade=0.2, specks=220, noise=4)),
            (TIDES, Spoiling(skew=-0.7, tint=GREENISH, shade=0.2, specks=200, noise=4)),
            (THREE_LANGUAGES, Spoiling(skew=0.5, tint=AGED, noise=4)),
        ),
    ),
    Paper(
        "Letter of thanks from a master.png",
        "Letter of thanks, June 1931",
        ("ara",),
        ((ARABIC, Spoiling(skew=-1.2, bed=0.2, tint=AGED, specks=120, noise=4)),),
    ),
    Paper(
        "Letter of March 1931, a poor copy.png",
        "Letter of March 1931, a copy at 90 dots an inch",
        ("eng",),
        ((LETTER_2, Spoiling(skew=0.6, tint=AGED, noise=5)),),
        dpi=90.0,
    ),
    Paper(
        "Circular to readers 3.pdf",
        "Circular to readers No. 3",
        ("eng",),
        ((CIRCULAR_A, Spoiling()), (CIRCULAR_B, Spoiling())),
        born_digital=True,
    ),
)
