"""The report that goes with a delivery: what was found, who judged what, and how good the text is."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, datetime
from html import escape
from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from hyalen import __version__
from hyalen.core.accessibility.catalogue import NOT_HERE, RULES, SENSORY, Judge
from hyalen.core.formats.names import delivery_stem
from hyalen.core.formats.printed import pdf_of
from hyalen.core.languages import language_tag
from hyalen.core.proofing.doubts import Stage
from hyalen.core.proofing.sampling import wilson
from hyalen.core.structure.labels import page_labels
from hyalen.core.structure.redaction import scrubbed
from hyalen.store.store import Store
from hyalen.web.schemas import Id
from hyalen.web.services import Given

router = APIRouter(tags=["checking"])
PRINTING_SECONDS = 120.0
STYLE = (
    "body{font:16px/1.5 sans-serif;max-width:50rem;margin:2rem auto;padding:0 1rem;color:#14302d}"
    "table{border-collapse:collapse;width:100%}th,td{border:1px solid #999;padding:.3rem .5rem;text-align:left;vertical-align:top}"
)


@router.get("/documents/{document_id}/report", response_class=HTMLResponse)
def report(document_id: Id, given: Given) -> HTMLResponse:
    """A report of how the document stands, as one HTML file."""
    store = given.store
    name = f"{delivery_stem(store.documents.document(document_id).source_name)}-report.html"
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}
    return HTMLResponse(report_of(store, document_id, datetime.now(UTC)), headers=headers)


@router.get("/documents/{document_id}/report.pdf", response_class=Response)
def printed_report(document_id: Id, given: Given) -> Response:
    """The same as a tagged PDF."""
    store = given.store
    name = f"{delivery_stem(store.documents.document(document_id).source_name)}-report.pdf"
    made = given.showing.do(pdf_of, report_of(store, document_id, datetime.now(UTC)), seconds=PRINTING_SECONDS)
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}
    return Response(made, media_type="application/pdf", headers=headers)


def report_of(store: Store, document_id: int, made: datetime) -> str:
    """The report's HTML; its headings, tables and language are what accessible HTML wants."""
    document, states = store.documents.document(document_id), store.pages.states(document_id)
    labels = page_labels(document.labels, len(states))
    obstacles = store.contents.obstacles(document_id)
    left, sampled = store.doubts.left(document_id), store.samples.verdicts(document_id)
    found = store.doubts.of_document(document_id, Stage.TAG) + store.doubts.of_document(document_id, Stage.CHECK)
    judged = store.judgements.of_document(document_id)
    open_doubts = store.doubts.count_document(document_id)
    told = document.particulars
    gone = store.contents.redacted_words(document_id)
    title = scrubbed(document.title, gone)
    facts = [
        ("Title", title), ("File", scrubbed(document.source_name, gone)), ("Pages", str(len(states))),
        *((name, scrubbed(value, gone)) for name, value in (
            ("Author", told.author), ("Reference", told.reference), ("Rights", told.rights),
            ("Date of the original", told.date),
        )),
    ]  # fmt: skip
    places = {page_id: at for at, page_id in enumerate(store.pages.ids(document_id))}
    redactions = [
        f"Page {_page(labels, places[page_id])}: {count} {'area' if count == 1 else 'areas'}"
        for page_id, count in store.contents.redactions(document_id).items()
    ]
    quality = [
        f"About {left.expected:.0f} wrong words are to be expected among {left.words:,} ({left.between[0]} to {left.between[1]})."
    ]
    if sampled.looked_at:
        low, high = wilson(sampled.right, sampled.looked_at)
        quality.append(
            f"Of {sampled.looked_at} words drawn by lot {sampled.right} were right: between {low:.1%} and {high:.1%}, nineteen times of twenty."
        )
    quality.append(f"{open_doubts.get(Stage.PROOF, 0)} doubtful words were not looked at.")
    findings = [
        [
            _page(labels, d.position),
            scrubbed(d.reason, gone),
            f"“{scrubbed(d.text, gone)}”" if d.text else "",
            RULES[d.kind].clause if d.kind in RULES else "",
        ]
        for d in found
    ]
    verdicts = [
        [
            _page(labels, j.position),
            j.question,
            scrubbed(j.text, gone)[:160],
            f"{j.name}, {datetime.fromtimestamp(j.made, UTC):%Y-%m-%d %H:%M}" if j.made else "not judged",
        ]
        for j in judged
    ]
    rules = [
        [r.clause, r.protocol, r.why, "a person" if r.judge is Judge.PERSON else "the program"] for r in RULES.values()
    ]
    standing = (
        f"<p>It is not PDF/UA as it stands:</p>{_list(obstacles)}"
        if obstacles
        else "<p>Nothing stands against PDF/UA.</p>"
    )
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Report: {escape(title)}</title>'
        f"<style>{STYLE}</style></head><body>"
        f'<h1>Report on <span lang="{language_tag(document.language or "eng")}">{escape(title)}</span></h1>'
        f"<p>Made {made:%Y-%m-%d %H:%M} UTC by Hyalen {__version__}.</p>"
        f"<dl>{''.join(f'<dt><b>{escape(k)}</b></dt><dd>{escape(v)}</dd>' for k, v in facts if v)}</dl>"
        f"<h2>How it stands</h2>{standing}<h2>How good the text is</h2>{_list(quality)}"
        f"<h2>Redacted</h2>{_list(redactions) if redactions else '<p>Nothing.</p>'}"
        f"<h2>Findings</h2>{_table(('Page', 'What was found', 'Where', 'Clause'), findings, 'None.')}"
        f"<h2>Judged by a person</h2>{_table(('Page', 'Question', 'What was judged', 'Found right by'), verdicts, 'Nothing had to be judged.')}"
        f"<h2>The rules</h2>{_table(('Clause', 'Matterhorn Protocol', 'Why', 'Judged by'), rules, '')}"
        f"<h2>What cannot occur in such files</h2>{_list([*(f'Checkpoint {k}. {v}' for k, v in NOT_HERE.items()), SENSORY])}"
        "</body></html>"
    )


def _page(labels: list[str], position: int) -> str:
    return labels[position] if position < len(labels) and labels[position] else str(position + 1)


def _list(texts: Iterable[str]) -> str:
    return f"<ul>{''.join(f'<li>{escape(t)}</li>' for t in texts)}</ul>"


def _table(heads: tuple[str, ...], rows: list[list[str]], none: str) -> str:
    if not rows:
        return f"<p>{escape(none)}</p>"
    head = "".join(f'<th scope="col">{escape(h)}</th>' for h in heads)
    body = "".join(f"<tr>{''.join(f'<td>{escape(c)}</td>' for c in row)}</tr>" for row in rows)
    return f"<table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>"
