"""Rows as typed values; what is JSON in the database is the core's models here."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from hyalen.core.model.document import Abbreviation, BookmarkEntry, LabelRange, PageKind, Particulars, TextFrom
from hyalen.core.model.geometry import Box
from hyalen.core.model.treatment import Cleaned, Half, Treatment, as_made
from hyalen.store.database import Row


class NotFound(KeyError):
    """There is no such batch, document or page."""


def named(row: Row, *names: str) -> dict[str, Any]:
    """Some of a row's columns by name."""
    return {name: row[name] for name in names}


def _bookmarks(value: str) -> tuple[BookmarkEntry, ...] | None:
    entries = json.loads(value)
    return None if entries is None else tuple(BookmarkEntry.model_validate(e) for e in entries)


@dataclass(frozen=True, slots=True)
class BatchRecord:
    """`particulars` are told of each document that is brought in to it; while it is paused, work on it rests."""

    id: int
    name: str
    languages: tuple[str, ...]
    created: float
    particulars: Particulars
    paused: bool

    @classmethod
    def of(cls, row: Row) -> BatchRecord:
        return cls(
            **named(row, "id", "name", "created"),
            languages=tuple(json.loads(row["languages"])),
            particulars=Particulars.model_validate_json(row["particulars"]),
            paused=bool(row["paused"]),
        )


@dataclass(frozen=True, slots=True)
class BatchCounts:
    """A batch with how much lies in it; `size` is that of its files in bytes."""

    batch: BatchRecord
    documents: int
    pages: int
    doubts: int
    busy: int


@dataclass(frozen=True, slots=True)
class DocumentRecord:
    id: int
    batch_id: int
    source_name: str
    source_blob: str
    came_blob: str | None
    stem: str
    position: int
    title: str
    language: str | None
    found_language: str | None
    languages: tuple[str, ...]
    first_languages: tuple[str, ...]
    page_count: int
    settled: bool
    duplex: bool
    note: str
    cautions: tuple[str, ...]
    revision: int
    labels: tuple[LabelRange, ...]
    particulars: Particulars
    abbreviations: tuple[Abbreviation, ...]
    bookmarks: tuple[BookmarkEntry, ...] | None

    @property
    def came(self) -> str:
        """The name of the file that was brought in, bit for bit."""
        return self.came_blob or self.source_blob

    @classmethod
    def of(cls, row: Row) -> DocumentRecord:
        plain = named(
            row, "id", "batch_id", "source_name", "source_blob", "came_blob", "stem", "position", "title", "language",
            "found_language", "page_count", "note", "revision",
        )  # fmt: skip
        return cls(
            **plain,
            languages=tuple(json.loads(row["languages"])),
            first_languages=tuple(json.loads(row["first_languages"])),
            settled=bool(row["settled"]),
            duplex=bool(row["duplex"]),
            cautions=tuple(json.loads(row["cautions"])),
            labels=tuple(LabelRange.model_validate(r) for r in json.loads(row["labels"])),
            particulars=Particulars.model_validate_json(row["particulars"]),
            abbreviations=tuple(Abbreviation.model_validate(a) for a in json.loads(row["abbreviations"])),
            bookmarks=_bookmarks(row["bookmarks"]),
        )


class Source(NamedTuple):
    """A file that pages came from, by its name and as it came."""

    name: str
    blob: str


@dataclass(frozen=True, slots=True)
class PageRecord:
    """A page without its content; `removed_from` is where a page that was taken out stood.

    `source_blob` is the file that it is a page of, where that is not its document's, and `source_page` which.
    """

    id: int
    document_id: int
    position: int
    source_index: int
    original_blob: str | None
    kind: str | None
    width: int | None
    height: int | None
    dpi: float
    dpi_reason: str
    damage: str
    stated_turn: int
    languages: tuple[str, ...] | None
    treatment: Treatment
    cleaned: Cleaned | None
    cleaned_blob: str | None
    thumb_blob: str | None
    read_blob: str | None
    half: Half
    revision: int
    removed_from: int | None
    joined: bool
    cleaning_print: str
    reading_print: str
    own_text: bool
    text_from: TextFrom
    source_blob: str | None
    source_page: int | None
    told_dpi: float

    @property
    def wanted_treatment(self) -> Treatment:
        """How it is cleaned: a page that a program made as it is, unless something is set by hand."""
        return as_made(self.treatment) if self.kind == PageKind.BORN_DIGITAL else self.treatment

    @property
    def is_as_it_came(self) -> bool:
        """Whether a program made it, and nothing was changed in how it looks."""
        plain = self.kind == PageKind.BORN_DIGITAL and self.half == "whole" and self.cleaned is not None
        return plain and self.cleaned is not None and self.cleaned.is_untouched and self.treatment == Treatment()

    @property
    def is_live(self) -> bool:
        """Whether it is among its document's pages."""
        return self.removed_from is None and not self.joined

    @classmethod
    def of(cls, row: Row) -> PageRecord:
        plain = named(
            row, "id", "document_id", "position", "source_index", "original_blob", "kind", "width", "height",
            "dpi_reason", "damage", "stated_turn", "cleaned_blob", "thumb_blob", "read_blob", "half", "revision",
            "removed_from", "cleaning_print", "reading_print", "text_from", "source_blob", "source_page", "told_dpi",
        )  # fmt: skip
        return cls(
            **plain,
            dpi=row["dpi"] or 0.0,
            languages=tuple(json.loads(row["languages"])) if row["languages"] else None,
            treatment=Treatment.model_validate_json(row["treatment"]),
            cleaned=Cleaned.model_validate_json(row["cleaned"]) if row["cleaned"] else None,
            joined=bool(row["joined"]),
            own_text=bool(row["own_text"]),
        )


@dataclass(frozen=True, slots=True)
class PageState:
    """What a list of pages shows of one."""

    id: int
    position: int
    kind: str | None
    width: int | None
    height: int | None
    thumb_blob: str | None
    has_original: bool
    has_content: bool
    revision: int
    half: Half
    expected: float
    doubts: int
    task_state: str | None
    task_stage: str | None
    task_reason: str | None

    @classmethod
    def of(cls, row: Row) -> PageState:
        plain = named(
            row, "id", "position", "kind", "width", "height", "thumb_blob", "revision", "half", "expected", "doubts",
            "task_state", "task_stage", "task_reason",
        )  # fmt: skip
        return cls(**plain, has_original=bool(row["has_original"]), has_content=bool(row["has_content"]))


@dataclass(frozen=True, slots=True)
class DoubtRecord:
    """A doubt; `pages` are the positions of all pages that share its cause, where it stands for several."""

    page_id: int
    position: int
    key: str
    stage: str
    kind: str
    weight: float
    reason: str
    region_id: str | None
    word_id: str | None
    text: str
    mend: dict[str, Any] | None
    pages: tuple[int, ...]

    @classmethod
    def of(cls, row: Row) -> DoubtRecord:
        plain = named(
            row, "page_id", "position", "key", "stage", "kind", "weight", "reason", "region_id", "word_id", "text"
        )
        pages = tuple(sorted(int(p) for p in row["pages"].split(","))) if row["pages"] else ()
        return cls(**plain, mend=json.loads(row["mend"]) if row["mend"] else None, pages=pages)


@dataclass(frozen=True, slots=True)
class SlipRecord:
    """A doubtful word among its like: `same` names its group, of which there are `many`."""

    page_id: int
    position: int
    revision: int
    key: str
    word_id: str
    text: str
    weight: float
    reason: str
    alike: str
    same: str
    many: int
    cleaned_blob: str | None
    place: Box | None

    @classmethod
    def of(cls, row: Row) -> SlipRecord:
        plain = named(
            row, "page_id", "position", "revision", "key", "word_id", "text", "weight", "reason", "alike", "same", "many",
            "cleaned_blob",
        )  # fmt: skip
        return cls(**plain, place=Box(*json.loads(row["place"])) if row["place"] else None)


@dataclass(frozen=True, slots=True)
class JudgementRecord:
    """What a person must judge; `name` and `made` are of who signed it off."""

    page_id: int
    position: int
    key: str
    rule: str
    question: str
    print: str
    region_id: str | None
    text: str
    name: str | None
    made: float | None

    @classmethod
    def of(cls, row: Row) -> JudgementRecord:
        return cls(
            **named(row, "page_id", "position", "key", "rule", "question", "print", "region_id", "text", "name", "made")
        )


@dataclass(frozen=True, slots=True)
class TaskRecord:
    id: int
    batch_id: int
    document_id: int
    page_id: int | None
    stage: str
    state: str
    attempts: int
    reason: str
    fingerprint: str
    settings: dict[str, Any]

    @classmethod
    def of(cls, row: Row) -> TaskRecord:
        plain = named(
            row, "id", "batch_id", "document_id", "page_id", "stage", "state", "attempts", "reason", "fingerprint"
        )
        return cls(**plain, settings=json.loads(row["settings"]))


class Gist(NamedTuple):
    """Of a document: small pictures of its first pages, kinds of pages, lowest and highest dpi, pages without content."""

    covers: Sequence[str] = ()
    kinds: Sequence[str] = ()
    dpi: tuple[float, float] | None = None
    unread: Sequence[int] = ()


@dataclass(frozen=True, slots=True)
class FailedTask:
    task: TaskRecord
    source_name: str
    page: int | None


@dataclass(frozen=True, slots=True)
class ProblemRecord:
    id: int
    file: str
    reason: str


@dataclass(frozen=True, slots=True)
class DeliveryRecord:
    """A file that was made, and how good the text was then: words, wrong ones to be expected, what a sample told.

    `documents` are those that it consists of, `document_id` the first.
    """

    id: int
    document_id: int
    format: str
    name: str
    blob: str
    size: int
    edition: str
    made: float
    words: int
    expected: float
    looked_at: int
    found_right: int
    options: dict[str, Any]
    made_by: str
    documents: tuple[int, ...]

    @classmethod
    def of(cls, row: Row) -> DeliveryRecord:
        told = ("words", "expected", "looked_at", "found_right", "made_by")
        names = ("id", "document_id", "format", "name", "blob", "size", "edition", "made", *told)
        documents = tuple(json.loads(row["documents"])) if row["documents"] else (row["document_id"],)
        return cls(**named(row, *names), options=json.loads(row["options"]), documents=documents)


@dataclass(frozen=True, slots=True)
class ChangeRecord:
    """One thing that was done, as undo calls it."""

    id: int
    label: str
