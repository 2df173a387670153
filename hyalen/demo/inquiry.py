"""The inquiry into the loss of the tender Solveig, which never sailed: its papers, and the bundle of them."""

from __future__ import annotations

from hyalen.core.bundling.arranging import keep, put_in
from hyalen.core.decisions.ink import Lay
from hyalen.core.model.bundle import BundleRules, BundleState, Entry, MarkKind
from hyalen.demo.archive import Paper
from hyalen.demo.markup import page
from hyalen.demo.spoil import AGED, Spoiling
from hyalen.store.bundles import Mark
from hyalen.store.store import Store
from hyalen.work.bundle_orders import view_of

INQUIRY = "Skarnholm Lights Board, inquiry of 1931"
BUNDLE = "Inquiry into the loss of the tender Solveig"
LATE = "Statement of the boatman at Hallvik"

_TYPED = """
body{font:11.5pt/1.6 'Courier Prime','Liberation Mono',monospace;padding:26mm 24mm 24mm 30mm}
p{margin:0 0 5mm} h1{font:700 13pt/1.4 'Courier Prime','Liberation Mono',monospace;margin:0 0 7mm;text-decoration:underline}
table{border-collapse:collapse;width:100%;margin:2mm 0 6mm} td,th{border:1.2px solid #222;padding:1.4mm 2.4mm;text-align:left}
.right{text-align:right}
"""


def _typed(title: str, *paragraphs: str) -> str:
    body = "".join(p if p.startswith("<table") else f'<p data-role="paragraph">{p}</p>' for p in paragraphs)
    return page(_TYPED, f'<h1 data-role="heading">{title}</h1>{body}' if title else body)


_ORDER = (
    "The Board has resolved that an inquiry be held into the loss of its tender <i>Solveig</i>, which left Skarnholm for"
    " Torgrunn on the evening of the 12th of March 1931 with stores and two hands and has not been heard of since.",
    "The inquiry shall sit in the long room of the harbour office from Monday, the 18th of May. All papers that bear"
    " upon the matter shall be laid before it in one bundle, numbered throughout.",
    "It shall say what weather was met, what lights were shown and what signals sounded, and whether any servant of the"
    " Board is to blame.",
)
_PILOT = (
    "I am a pilot of the first class and have held my branch for Skarnholm these nineteen years. I passed the <i>Solveig</i>"
    " off the outer buoy a little after eight in the evening. She was deep, but not deeper than I had seen her before, and"
    " her lights burned well.",
    "The wind was then south-west, a moderate breeze, with a heavy swell left over from the gale of the week before. I"
    " called to her master that it would back. He raised his hand and held on.",
    "I heard the fog signal of Torgrunn until about ten. After that I did not hear it, and I put this down to the wind.",
)
_PILOT_2 = (
    "Asked whether the signal might have stopped, I say that I cannot tell. I have known it to be lost at two miles with"
    " the wind in that quarter.",
    "Asked about the light, I say that I saw it over the whole time, but that the sector toward the Hallvik shoals was"
    " dark to me, as the Notice had told us it would be.",
)
_STORES = (
    "List of the stores that were shipped in the tender on the 12th of March, made up from the counterfoils.",
    '<table data-role="table"><tr><th>Article</th><th>Number</th><th>Pounds</th></tr>'
    "<tr><td>Drums of paraffin</td><td>14</td><td>5,180</td></tr><tr><td>Panes of lantern glass</td><td>4</td><td>96</td></tr>"
    "<tr><td>Gallery rail, lengths</td><td>2</td><td>140</td></tr><tr><td>Provisions, cases</td><td>9</td><td>610</td></tr></table>",
    "The whole weighs a little over six thousand pounds, which is two thirds of what the tender is certified to carry.",
)
_BOATMAN = (
    "On the morning of the 14th of March I found a hatch cover and a broken oar on the strand below my house. The cover"
    " is painted grey and has the letters S K L B burnt into the under side.",
    "I did not speak of it because I did not know that anyone was missed. The schoolmaster read to us from the Gazette in"
    " May, and I came the same day.",
)
_BOATMAN_2 = (
    "Shown the cover that lies before the inquiry, I say that it is the same. The oar I have used since for a fence.",
)
_CLEAN, _WORN = Spoiling(skew=0.3), Spoiling(skew=-1.1, tint=AGED, specks=160, noise=3)

PAPERS = (
    Paper("Order for an inquiry.pdf", "Order for an inquiry", ("eng",), ((_typed("Order of the Board", *_ORDER), _CLEAN),), born_digital=True),
    Paper("Statement of the pilot.tif", "Statement of the pilot", ("eng",), ((_typed("Statement of the pilot", *_PILOT), _WORN), (_typed("", *_PILOT_2), _WORN))),
    Paper("Stores shipped.png", "Stores shipped in the tender", ("eng",), ((_typed("Stores shipped", *_STORES), _CLEAN),)),
    Paper("Statement of the boatman.tif", LATE, ("eng",), ((_typed("Statement of the boatman at Hallvik", *_BOATMAN), _WORN), (_typed("", *_BOATMAN_2), _WORN))),
)  # fmt: skip
DATES = {
    "Order for an inquiry": "20 April 1931",
    "Statement of the pilot": "18 May 1931",
    "Stores shipped in the tender": "12 March 1931",
    LATE: "2 June 1931",
    "Letter from Torgrunn 1931": "9 March 1931",
    "Fog signal log 1931": "2 March 1931",
    "Notice to Mariners 17": "16 March 1931",
    "Inspection of Torgrunn 1931": "6 May 1931",
}


def bind_inquiry(store: Store) -> None:
    """The bundle of the inquiry, with a statement that came late, unless there is one."""
    if any(b.name == BUNDLE for b in store.bundles.all()):
        return
    documents = {d.title: d.id for b in store.documents.batches() for d in store.documents.of_batch(b.batch.id)}
    of_file = {
        d.stem.replace("-", " "): d.id for b in store.documents.batches() for d in store.documents.of_batch(b.batch.id)
    }
    documents = of_file | documents
    bundle = store.bundles.add(BUNDLE, BundleRules(right_hand=True, size=18))

    def entry(title: str, name: str = "") -> list[Entry]:
        found = documents.get(title)
        return (
            [Entry(id=0, document_id=found, title=name, date=DATES.get(title, ""), known_as=name or title)]
            if found
            else []
        )

    def made(state: BundleState) -> BundleState:
        proceedings = [*entry("Order for an inquiry"), *entry("Statement of the pilot")]
        exhibits = [
            *entry("Fog signal log 1931", "Log of the fog signal, Torgrunn"), *entry("Letter from Torgrunn 1931", "Letter of the Principal Keeper"),
            *entry("Stores shipped in the tender"), *entry("Notice to Mariners 17", "Notice to Mariners No. 17"), *entry("Inspection of Torgrunn 1931", "Report of the Inspector of Lights"),
        ]  # fmt: skip
        for title, those in (("Proceedings", proceedings), ("Exhibits", exhibits)):
            state = put_in(put_in(state, [Entry(id=0, section=True, title=title)]), those)
        return state

    store.bundles.change(bundle, None, "documents put in", made)
    plan = view_of(store, bundle).plan
    store.bundles.change(bundle, None, "numbers kept", lambda state: keep(state, plan))
    state = store.bundles.bundle(bundle).state
    pilot = next((e for e in state.entries if e.document_id == documents.get("Statement of the pilot")), None)
    if pilot is not None:
        store.bundles.change(bundle, None, "late pages put in", lambda s: put_in(s, entry(LATE), pilot.id))
        _mark(store, bundle, pilot.document_id or 0)


def _mark(store: Store, bundle: int, document: int) -> None:
    """A passage of the pilot's statement is marked."""
    page_id = next(iter(store.pages.read_ids(document)), None)
    content = store.pages.content(page_id) if page_id is not None else None
    if page_id is None or content is None:
        return
    lay = Lay(store.pages.page(page_id).cleaned)
    paragraphs = [r for r in content.regions if len(r.lines) > 2]
    if not paragraphs:
        return
    words = [lay.corners(w.box) for line in paragraphs[-1].lines for w in line.words]
    side = [lay.corners(line.box) for line in paragraphs[0].lines]
    store.bundles.add_marks(
        bundle,
        [
            Mark(
                0, bundle, page_id, MarkKind.HIGHLIGHT, words, "ffd54a", "Board", "Compare the log of the fog signal."
            ),
            Mark(0, bundle, page_id, MarkKind.SIDELINE, side, "8ec5ef", "Board", ""),
        ],
    )
