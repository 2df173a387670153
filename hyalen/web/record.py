"""The record of a delivery: from what, how, when and by whom a file was made, how good its text was, and its digest."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from html import escape
from typing import Any

from hyalen import __version__
from hyalen.core.structure.redaction import scrubbed
from hyalen.store.records import DeliveryRecord
from hyalen.store.store import Store
from hyalen.web.report import STYLE


def record_of(store: Store, delivery: DeliveryRecord) -> dict[str, Any]:
    """What is known of a file that was made, without redacted words."""
    return {
        "file": delivery.name,
        "sha256": delivery.blob,
        "bytes": delivery.size,
        "made": datetime.fromtimestamp(delivery.made, UTC).isoformat(timespec="seconds"),
        "by": delivery.made_by,
        "program": f"Hyalen {__version__}",
        "format": delivery.format,
        "options": delivery.options,
        "documents": [_document(store, each) for each in delivery.documents if store.documents.has(each)],
        "text": {
            "words": delivery.words,
            "expected_wrong": round(delivery.expected, 1),
            "sample": {"looked_at": delivery.looked_at, "right": delivery.found_right},
        },
        "up_to_date": store.deliveries.is_current(delivery),
    }


def _document(store: Store, document_id: int) -> dict[str, Any]:
    document = store.documents.document(document_id)
    gone = store.contents.redacted_words(document_id)
    judged = store.judgements.of_document(document_id)
    return {
        "sources": [
            {"file": scrubbed(source.name, gone), "sha256": source.blob}
            for source in store.documents.sources(document_id)
        ],
        "cautions": list(document.cautions),
        "title": scrubbed(document.title, gone),
        "pages": document.page_count,
        "revision": document.revision,
        "check": {
            "obstacles_to_pdf_ua": store.contents.obstacles(document_id),
            "judged": sum(j.made is not None for j in judged),
            "to_judge": sum(j.made is None for j in judged),
        },
        "redacted_areas": sum(store.contents.redactions(document_id).values()),
    }


def as_json(record: dict[str, Any]) -> bytes:
    return json.dumps(record, ensure_ascii=False, indent=1).encode("utf8")


def as_page(record: dict[str, Any]) -> str:
    """The same as HTML."""
    sample = record["text"]["sample"]
    facts = [
        ("File", record["file"]),
        ("SHA-256", record["sha256"]),
        ("Bytes", f"{record['bytes']:,}"),
        ("Made", record["made"]),
        ("By", record["by"]),
        ("Program", record["program"]),
        (
            "Choices",
            ", ".join(f"{k.replace('_', ' ')}: {'yes' if v is True else v}" for k, v in record["options"].items()),
        ),
        (
            "Words",
            f"{record['text']['words']:,}, of which about {record['text']['expected_wrong']:g} are expected wrong",
        ),
        ("Drawn by lot", f"{sample['right']} of {sample['looked_at']} words were right" if sample["looked_at"] else ""),
        ("Up to date", "yes" if record["up_to_date"] else "no, it was changed since"),
    ]
    parts = "".join(_section(each) for each in record["documents"])
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Record: {escape(record["file"])}</title>'
        f"<style>{STYLE}</style></head><body><h1>Record of {escape(record['file'])}</h1>{_facts(facts)}"
        f"{parts}</body></html>"
    )


def _section(told: dict[str, Any]) -> str:
    check = told["check"]
    obstacles = "; ".join(check["obstacles_to_pdf_ua"]) or "nothing"
    facts = [
        *((f"Source {n}", f"{s['file']} (SHA-256 {s['sha256']})") for n, s in enumerate(told["sources"], 1)),
        ("To be known of it", "; ".join(told["cautions"])),
        ("Pages", str(told["pages"])),
        ("Revision", str(told["revision"])),
        ("Against PDF/UA stands", obstacles),
        ("Judged by a person", f"{check['judged']} of {check['judged'] + check['to_judge']}"),
        ("Redacted areas", str(told["redacted_areas"])),
    ]
    return f"<h2>{escape(told['title'])}</h2>{_facts(facts)}"


def _facts(facts: list[tuple[str, str]]) -> str:
    return f"<dl>{''.join(f'<dt><b>{escape(k)}</b></dt><dd>{escape(v)}</dd>' for k, v in facts if v)}</dl>"
