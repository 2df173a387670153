"""What goes over the wire. The browser's types are generated from these."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from hyalen.core.decisions.requests import Request
from hyalen.core.model.content import PageContent, RegionKind, Role
from hyalen.core.model.treatment import Applied, Finding, Half, Mesh, Patch, Treatment
from hyalen.core.proofing.doubts import Stage


class Language(BaseModel):
    code: str
    tag: str
    name: str
    right_to_left: bool


class Format(BaseModel):
    name: str
    describes: str
    tables_only: bool


class RoleRule(BaseModel):
    """A role, whether it keeps a region out of reading aloud, and the kinds of region that can have it."""

    role: Role
    artifact: bool
    kinds: list[RegionKind]


class About(BaseModel):
    """What the browser need not know by itself; a finding or role below `sure` is a doubt."""

    version: str
    languages: list[Language]
    formats: list[Format]
    roles: list[RoleRule]
    stages: list[Stage]
    sure: float


class BatchSummary(BaseModel):
    id: int
    name: str
    created: float
    documents: int
    pages: int
    doubts: int
    busy: bool
    size: int


class NewBatch(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    languages: list[str] = Field(min_length=1, max_length=4)


class FileProblem(BaseModel):
    id: int
    file: str
    reason: str


class FailedTask(BaseModel):
    id: int
    document_id: int | None
    file: str
    page: int | None
    stage: str
    reason: str


class Delivery(BaseModel):
    id: int
    document_id: int
    format: str
    name: str
    size: int
    made: float
    current: bool


class DocumentSummary(BaseModel):
    id: int
    position: int
    name: str
    title: str
    language: str | None
    languages: list[str]
    pages: int
    note: str
    doubts: dict[str, int]
    busy: int
    failed: int
    delivering: list[str]


class Batch(BaseModel):
    id: int
    name: str
    languages: list[str]
    documents: list[DocumentSummary]
    doubts: dict[str, int]
    progress: dict[str, dict[str, int]]
    problems: list[FileProblem]
    failed: list[FailedTask]
    deliveries: list[Delivery]


class PageSummary(BaseModel):
    id: int
    position: int
    kind: str | None
    width: int | None
    height: int | None
    thumb: str | None
    doubts: int
    has_content: bool
    revision: int
    task_state: str | None
    task_stage: str | None
    task_reason: str | None
    half: Half


class Change(BaseModel):
    """One thing that was done, as undo and redo name it."""

    id: int
    label: str


class DocumentHead(BaseModel):
    """What of a document changes with every edit."""

    id: int
    revision: int
    doubts: dict[str, int]
    undo: Change | None
    redo: Change | None


class Document(DocumentHead):
    batch_id: int
    batch_name: str
    name: str
    title: str
    language: str | None
    languages: list[str]
    pages: list[PageSummary]
    removed: list[RemovedPage]
    duplex: bool


class DocumentChange(BaseModel):
    title: str | None = Field(default=None, max_length=500)
    language: str | None = None
    languages: list[str] | None = Field(default=None, min_length=1, max_length=4)
    duplex: bool | None = None


class OpenDoubt(BaseModel):
    page_id: int
    position: int
    key: str
    stage: Stage
    kind: str
    weight: float
    reason: str
    region_id: str | None
    word_id: str | None
    text: str


class Page(BaseModel):
    id: int
    document_id: int
    position: int
    revision: int
    kind: str | None
    original: str | None
    cleaned: str | None
    original_size: tuple[int, int] | None
    to_original: list[float] | None
    mesh: Mesh | None
    applied: Applied | None
    cleaned_dpi: float | None
    cleaned_size: tuple[int, int] | None
    half: Half
    stated_turn: int
    dpi: float | None
    dpi_reason: str
    treatment: Treatment
    findings: list[Finding]
    languages: list[str]
    own_languages: bool
    content: PageContent | None
    doubts: list[OpenDoubt]
    settled: int
    task_state: str | None
    task_stage: str | None
    task_reason: str | None


class Edit(BaseModel):
    revision: int
    operation: Request
    everywhere: bool = False


class PageText(BaseModel):
    """What of a page changes with every edit."""

    id: int
    revision: int
    content: PageContent | None
    settled: int


class Changed(BaseModel):
    """All that a change has changed, so that nothing need be asked for again.

    `page` is the page that was edited, `pages` and `doubts` are those of every page whose content changed.
    Where `arranged` is set, the document's pages or their treatments changed as well.
    """

    label: str
    words: int
    document: DocumentHead
    pages: list[PageSummary]
    doubts: list[OpenDoubt]
    page: PageText | None
    arranged: bool


class Turn(BaseModel):
    """The change that is to be undone or redone; refused with 409 where it is not the next one."""

    change: int | None = None


class TreatmentChange(BaseModel):
    """A treatment and whom it is for: this page, the pages named, all of the document or of the batch."""

    treatment: Treatment
    pages: Literal["page", "selection", "document", "batch"] = "page"
    selection: list[int] = []


class PreviewWanted(BaseModel):
    """`view` "page" is the outcome, "before" the scan laid under it; on the others lie handles."""

    treatment: Treatment
    view: Literal["page", "before", "spread", "upright", "sheet"] = "page"


class Preview(BaseModel):
    """An image as a data URL, of a page as it would become; sizes in inches are in `applied`."""

    image: str
    width: int
    height: int
    dpi: float
    findings: list[Finding]
    applied: Applied


class PatchWanted(BaseModel):
    """What the clerk drew on the page under that treatment, as shares of its width and height."""

    treatment: Treatment
    outline: list[tuple[float, float]] = Field(min_length=1, max_length=2000)
    erase: bool = True
    alike: bool = False


class Patches(BaseModel):
    patches: list[Patch]


class NamedTreatment(BaseModel):
    id: int
    name: str
    treatment: Treatment


class NewNamedTreatment(BaseModel):
    name: str = Field(min_length=1, max_length=80)
    treatment: Treatment
    replace: bool = False


class PagesChosen(BaseModel):
    pages: list[int] = Field(min_length=1)


class Order(BaseModel):
    pages: list[int]


class TurnPages(PagesChosen):
    """Clockwise, on top of how each page stands now."""

    degrees: Literal[90, 180, 270]


class Margins(PagesChosen):
    even: bool


class RemovedPage(BaseModel):
    id: int
    position: int
    thumb: str | None


class ReadAgain(BaseModel):
    languages: list[str] | None = Field(default=None, min_length=1, max_length=4)
    keep: bool = True
    pages: Literal["page", "document"] = "page"


class DeliveryOrder(BaseModel):
    formats: list[str] = Field(min_length=1)
    documents: list[int] | None = None
    keep_running_heads: bool = False


class FlowItem(BaseModel):
    """A block as it will be delivered; `announced` is what is said before it is read aloud."""

    role: Role
    announced: str
    text: str
    language: str
    page: int
    page_id: int
    region_id: str
    rows: list[list[str]] | None = None


class FlowPart(BaseModel):
    """The blocks that begin on some pages; `following` is the next page to ask for, from 0."""

    items: list[FlowItem]
    following: int | None


class Started(BaseModel):
    tasks: int


class Intake(BaseModel):
    documents: list[int]
    problems: list[FileProblem]
