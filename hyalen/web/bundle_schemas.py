"""What goes over the wire of bundles."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from hyalen.core.bundling.changes import ChangeKind
from hyalen.core.bundling.plan import SheetKind
from hyalen.core.model.bundle import DEEPEST, BundleRules, MarkKind
from hyalen.core.model.geometry import Box
from hyalen.core.model.text import Lines, OneLine
from hyalen.core.proofing.search import MOST_OF_A_PATTERN, Way
from hyalen.store.bundles import FileKind
from hyalen.web.schemas import Id, Revision

Colour = Annotated[str, Field(pattern="^[0-9a-f]{6}$")]
MOST_ENTRIES = 20_000


class BundleSummary(BaseModel):
    id: int
    name: str
    created: float
    documents: int
    issued: float


class NewBundle(BaseModel):
    name: OneLine = Field(min_length=1, max_length=200)
    language: str = Field(default="eng", pattern="^[a-z]{3}(_[a-z]+)?$", max_length=20)


class BundleName(BaseModel):
    name: OneLine = Field(min_length=1, max_length=200)


class BundleEntry(BaseModel):
    """An entry as it is in the index. `own_*` are what was told of it here; `first` and `last` are page labels."""

    id: int
    section: bool
    document: int | None
    batch: int | None
    depth: int
    label: str
    title: str
    date: str
    own_label: str
    own_title: str
    own_date: str
    file: str
    pages: int
    first: str
    last: str
    sheet: int
    after_page: int | None
    trouble: str


class BundleWork(BaseModel):
    """What is being made, or why it was not."""

    state: Literal["waiting", "running", "failed", "cancelled"]
    reason: str
    phase: str
    done: int
    total: int
    kinds: list[FileKind]


class BundleFileMade(BaseModel):
    id: int
    name: str
    kind: FileKind
    volume: int
    pages: int
    size: int
    made: float
    made_by: str
    current: bool
    remarks: list[str]


class BundleTold(BaseModel):
    """A bundle as it is: `kept` says whether late pages get numbers between those that stay."""

    id: int
    name: str
    revision: int
    rules: BundleRules
    entries: list[BundleEntry]
    pages: int
    blanks: int
    kept: bool
    issued: float
    changed: int
    trouble: str
    undo: str
    redo: str
    work: BundleWork | None
    files: list[BundleFileMade]
    marks: int


class BundleSheetTold(BaseModel):
    kind: SheetKind
    entry: int
    page: int
    document: int | None
    label: str


class OfBundle(BaseModel):
    """A change names the bundle's revision on which it is made; where that is not the last, it is refused with 409."""

    revision: Revision


class EntriesToPutIn(OfBundle):
    """Documents, or the head of a section; behind an entry (0: before all), or at the end; or within a document."""

    documents: list[Id] = Field(default_factory=list, max_length=MOST_ENTRIES)
    section: OneLine = Field(default="", max_length=500)
    behind: Id | Literal[0] | None = None
    after_page: Id | None = None


class EntriesToTakeOut(OfBundle):
    entries: list[Id] = Field(min_length=1, max_length=MOST_ENTRIES)


class PlacedEntry(BaseModel):
    id: Id
    depth: int = Field(ge=0, le=DEEPEST)


class EntryOrder(OfBundle):
    entries: list[PlacedEntry] = Field(max_length=MOST_ENTRIES)


class EntryTold(OfBundle):
    title: OneLine | None = Field(default=None, max_length=500)
    date: OneLine | None = Field(default=None, max_length=100)
    label: OneLine | None = Field(default=None, max_length=40)
    after_page: Id | Literal[0] | None = None


class SortedBy(OfBundle):
    by: Literal["date", "title"]


class RulesTold(OfBundle):
    rules: BundleRules


class BundleWanted(BaseModel):
    """What is to be made: in volumes of at most so many pages or megabytes, 0 for one."""

    kinds: list[FileKind] = Field(min_length=1, max_length=10)
    most_pages: int = Field(default=0, ge=0, le=1_000_000)
    most_megabytes: float = Field(default=0, ge=0, le=100_000, allow_inf_nan=False)
    made_by: OneLine = Field(default="", max_length=200)


class ChangeTold(BaseModel):
    kind: ChangeKind
    says: str
    title: str
    before: str
    labels: str
    sheet: int


class MarkTold(BaseModel):
    """A mark where it is on its page now, in pixels of it."""

    id: int
    page: int
    sheet: int
    label: str
    kind: MarkKind
    boxes: list[Box]
    colour: str
    name: str
    text: str


class MarkToMake(BaseModel):
    page: Id
    kind: MarkKind
    boxes: list[Box] = Field(min_length=1, max_length=2_000)
    colour: Colour = "ffd54a"
    name: OneLine = Field(default="", max_length=100)
    text: Lines = Field(default="", max_length=5_000)


class MarkChange(BaseModel):
    colour: Colour
    name: OneLine = Field(default="", max_length=100)
    text: Lines = Field(default="", max_length=5_000)


class HitsToMark(BaseModel):
    text: str = Field(max_length=MOST_OF_A_PATTERN)
    way: Way = Way.PART
    exact: bool = False
    colour: Colour = "ffd54a"
    name: OneLine = Field(default="", max_length=100)


class MarksMade(BaseModel):
    made: int


class BundleHit(BaseModel):
    """A place where a text stands: its sheet and what that is called."""

    sheet: int
    label: str
    page: int
    entry: int
    before: str
    found: str
    after: str
    boxes: list[Box]


class BundleHits(BaseModel):
    total: int
    hits: list[BundleHit]


class ListTold(BaseModel):
    """What a list has put in order, and its lines that are of no use, each with the reason."""

    entries: int
    unused: list[str]
