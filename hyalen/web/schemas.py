"""What goes over the wire. The browser's types are generated from these."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, Field

from hyalen.core.accessibility.catalogue import Judge
from hyalen.core.accessibility.spoken import Kind
from hyalen.core.decisions.requests import MOST_OF_A_LINE, Pixel, Request
from hyalen.core.formats.format import DeliveryOptions, Purpose, Quality
from hyalen.core.model.content import PageContent, RegionKind, Role
from hyalen.core.model.document import Abbreviation, BookmarkEntry, LabelRange, Particulars, TextFrom
from hyalen.core.model.flaws import flaw
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box
from hyalen.core.model.text import Lines, OneLine
from hyalen.core.model.treatment import Applied, Finding, Half, Mesh, Patch, Treatment
from hyalen.core.proofing.doubts import Mend, Stage
from hyalen.core.proofing.search import MOST_OF_A_PATTERN, Way
from hyalen.core.scanning.wish import Aim, Preset, Wish
from hyalen.store.scans import Trouble

# SQLite counts in 64 bits.
Id = Annotated[int, Field(ge=1, le=2**63 - 1)]
Revision = Annotated[int, Field(ge=0, le=2**63 - 1)]
Codes = Annotated[list[str], Field(min_length=1, max_length=4)]
Share = Annotated[float, Field(ge=-1, le=2, allow_inf_nan=False)]


def _sound(treatment: Treatment) -> Treatment:
    if says := flaw(treatment):
        raise ValueError(says)
    return treatment


SoundTreatment = Annotated[Treatment, AfterValidator(_sound)]


class Problem(BaseModel):
    """What was refused and why (RFC 9457)."""

    type: str
    title: str
    status: int
    detail: str


class OfRevision(BaseModel):
    """A change names the document's revision on which it is made; where that is not the last, it is refused with 409."""

    revision: Revision


class Language(BaseModel):
    code: str
    tag: str
    name: str
    right_to_left: bool


class Format(BaseModel):
    name: str
    describes: str
    tables_only: bool
    purpose: Purpose


class RoleRule(BaseModel):
    """A role, whether it keeps a region out of reading aloud, and the kinds of region that can have it."""

    role: Role
    artifact: bool
    kinds: list[RegionKind]


class About(BaseModel):
    """What the browser need not know by itself; a finding or role below `sure` is a doubt.

    `largest_file` is in bytes; where `lacks_space`, work rests because the disk is full; `post` is the folder into which
    what is made may be put.
    """

    version: str
    languages: list[Language]
    formats: list[Format]
    roles: list[RoleRule]
    stages: list[Stage]
    sure: float
    largest_file: int
    lacks_space: bool
    post: str | None
    watches: bool


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
    name: OneLine = Field(min_length=1, max_length=200)
    languages: Codes


class FileProblem(BaseModel):
    """A file that could not be brought in; `locked` where a password would open it."""

    id: int
    file: str
    reason: str
    locked: bool = False


class FailedTask(BaseModel):
    id: int
    document_id: int | None
    file: str
    page: int | None
    stage: str
    reason: str


class Delivery(BaseModel):
    """A file that was made; `documents` are those that it consists of, `larger` says why it is larger than they came."""

    id: int
    document_id: int
    documents: list[int]
    options: dict[str, Any]
    larger: str
    format: str
    name: str
    size: int
    made: float
    current: bool
    words: int
    expected: float
    looked_at: int
    found_right: int


class Making(BaseModel):
    """A file that is being made, or waits for it; `reached` is how many pages it has come to."""

    task: int
    documents: list[int]
    format: str
    pages: int
    reached: int
    state: str


class DocumentSummary(BaseModel):
    id: int
    position: int
    name: str
    title: str
    reference: str
    language: str | None
    languages: list[str]
    pages: int
    note: str
    cautions: list[str]
    doubts: dict[str, int]
    busy: int
    failed: int
    unread: list[int]
    covers: list[str]
    both_sides: bool
    kinds: list[str]
    dpi: list[float]


class LeftInBatch(BaseModel):
    """Wrong words that are to be expected, nineteen times of twenty `between` two numbers."""

    words: int
    expected: float
    between: tuple[int, int]


class Pause(BaseModel):
    paused: bool


class BatchParticulars(BaseModel):
    """What is told of documents that are brought in; with `fill`, of those that are there too where nothing is told."""

    particulars: Particulars
    fill: bool = False


class Batch(BaseModel):
    id: int
    name: str
    languages: list[str]
    particulars: Particulars
    paused: bool
    inbox: str | None
    inbox_away: bool
    documents: list[DocumentSummary]
    doubts: dict[str, int]
    left: LeftInBatch
    progress: dict[str, dict[str, int]]
    problems: list[FileProblem]
    failed: list[FailedTask]
    deliveries: list[Delivery]
    making: list[Making]


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
    expected: float


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
    labels: list[str] = Field(description="what each page is called")
    ranges: list[LabelRange]
    particulars: Particulars
    abbreviations: list[Abbreviation]


class DocumentChange(OfRevision):
    title: OneLine | None = Field(default=None, max_length=500)
    language: str | None = None
    languages: Codes | None = None
    duplex: bool | None = None
    ranges: list[LabelRange] | None = Field(default=None, max_length=500)
    particulars: Particulars | None = None
    abbreviations: list[Abbreviation] | None = Field(default=None, max_length=1_000)


class OpenDoubt(BaseModel):
    """A doubt; where it stands for several pages of one cause, `pages` are their positions, from 0."""

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
    mend: Mend | None
    pages: list[int]


class RuleTold(BaseModel):
    """An accessibility rule; `stops` where a file with such a finding may not say that it is PDF/UA."""

    id: str
    clause: str
    protocol: str
    why: str
    judge: Judge
    stops: bool


class ToJudge(BaseModel):
    """What a person must judge at a place, with the place's ink; `by` and `made` once it is signed off."""

    page_id: int
    position: int
    key: str
    rule: str
    question: str
    region_id: str | None
    text: str
    print: str
    by: str | None
    made: float | None


class Standing(BaseModel):
    """How a document stands: findings, what is to be judged, and whether it would be PDF/UA as it is."""

    findings: int
    to_judge: int
    judged: int
    obstacles: list[str]


class SaidAloud(BaseModel):
    """A stretch that is heard at once: what is announced, and what the document says."""

    kind: Kind
    announced: str
    text: str
    language: str
    position: int
    page_id: int
    region_id: str
    level: int


class SpokenPart(BaseModel):
    """`following` is the next page to ask for, from 0."""

    said: list[SaidAloud]
    following: int | None


class Signature(BaseModel):
    name: OneLine = Field(min_length=1, max_length=80)


class SignOff(Signature):
    page: Id
    key: str = Field(max_length=200)
    print: str = Field(pattern="^[0-9a-f]{16}$")


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
    own_text: bool
    text_from: TextFrom
    content: PageContent | None
    doubts: list[OpenDoubt]
    unknown: list[str] = Field(description="ids of words that no list knows")
    captioned: dict[str, str] = Field(description="by the id of each caption that of what it explains")
    settled: int
    task_state: str | None
    task_stage: str | None
    task_reason: str | None


class Edit(BaseModel):
    """A change of what a page says, on the page's revision."""

    revision: Revision
    operation: Request
    everywhere: bool = False


class PageText(BaseModel):
    """What of a page changes with every edit."""

    id: int
    revision: int
    content: PageContent | None
    unknown: list[str]
    captioned: dict[str, str]
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

    change: Id


class TreatmentChange(OfRevision):
    """A treatment and whom it is for: this page, the pages named, all of the document or of the batch."""

    treatment: SoundTreatment
    pages: Literal["page", "selection", "document", "batch"] = "page"
    selection: list[Id] = []


class PreviewWanted(BaseModel):
    """`view` "page" is the outcome, "before" the scan laid under it; on the others lie handles."""

    treatment: SoundTreatment
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

    treatment: SoundTreatment
    outline: list[tuple[Share, Share]] = Field(min_length=1, max_length=2000)
    erase: bool = True
    alike: bool = False


class Patches(BaseModel):
    patches: list[Patch]


class NamedTreatment(BaseModel):
    id: int
    name: str
    treatment: Treatment


class NewNamedTreatment(BaseModel):
    name: OneLine = Field(min_length=1, max_length=80)
    treatment: SoundTreatment
    replace: bool = False


class PagesChosen(OfRevision):
    pages: list[Id] = Field(min_length=1)


class Order(OfRevision):
    pages: list[Id]


class TurnPages(PagesChosen):
    """Clockwise, on top of how each page stands now."""

    degrees: Literal[90, 180, 270]


class Margins(PagesChosen):
    even: bool


class WordHelp(BaseModel):
    """`kin` is how many other places of the document say the word as it was read; 99 stands for more, too."""

    suggestions: list[str]
    kin: int


class Left(BaseModel):
    """Wrong words that are to be expected, nineteen times of twenty `between` two numbers.

    `look` doubts, the worst ones, must be settled for a share of `goal` to be right.
    """

    words: int
    expected: float
    between: tuple[int, int]
    accuracy: float
    goal: float
    look: int


class SampleSize(BaseModel):
    size: int = Field(ge=1, le=5_000)


class Verdict(BaseModel):
    page: Id
    word: str = Field(max_length=40)
    right: bool


class DrawnWord(BaseModel):
    page: int
    position: int
    word: str
    text: str
    box: Box
    image: str | None
    size: tuple[int, int] | None


class Sample(BaseModel):
    """Words drawn by lot among those that nobody has settled.

    The share of right ones lies `between` two, nineteen times of twenty; `more` must be looked at for an interval of
    `reach` to both sides.
    """

    looked_at: int
    right: int
    between: tuple[float, float]
    reach: float
    more: int
    waiting: list[DrawnWord]


class ListedWords(BaseModel):
    words: list[Annotated[OneLine, Field(max_length=200)]] = Field(max_length=200_000)


class Slip(BaseModel):
    """A doubtful word with its ink; `group` is what it is looked at with, of which there are `many`."""

    page: int
    position: int
    key: str
    word: str
    text: str
    reason: str
    alike: str
    group: str
    many: int
    box: Box | None
    image: str | None
    size: tuple[int, int] | None


class Slips(BaseModel):
    """`whole` where there are no more after these."""

    slips: list[Slip]
    whole: bool


class WordSettled(BaseModel):
    """A word that says `was`; it is right where there is no other text."""

    page: Id
    word: str = Field(max_length=40)
    was: OneLine = Field(max_length=MOST_OF_A_LINE)
    text: OneLine | None = Field(default=None, max_length=MOST_OF_A_LINE)


class WordsSettled(BaseModel):
    words: list[WordSettled] = Field(min_length=1, max_length=500)
    change: Id | None = None


class Place(BaseModel):
    box: Box


class Characters(BaseModel):
    languages: dict[str, str]
    variants: dict[str, str]
    signs: dict[str, str]


class FoundPlace(BaseModel):
    """A place where what is looked for stands; `boxes` are those of its words, in pixels of the cleaned page."""

    passage: int
    start: int
    document: int
    document_name: str
    page: int
    position: int
    region: str
    words: list[str]
    boxes: list[Box]
    before: str
    found: str
    after: str
    image: str | None
    size: tuple[int, int] | None


class Found(BaseModel):
    total: int
    pages: list[int]
    hits: list[FoundPlace]


class PlaceChosen(BaseModel):
    passage: Id
    start: Annotated[int, Field(ge=0, le=10_000_000)]


class Replacement(BaseModel):
    """What is looked for, as in a search, and what is to stand there."""

    text: str = Field(max_length=MOST_OF_A_PATTERN)
    way: Way = Way.PART
    exact: bool = False
    role: Role | None = None
    language: str | None = None
    by: OneLine = Field(max_length=MOST_OF_A_LINE)
    redact: bool = Field(default=False, description="take its words out of all that is delivered instead")
    pages: list[Id] = Field(min_length=1)
    places: list[PlaceChosen] | None = None
    change: Id | None = None


class Picture(BaseModel):
    """An image that was brought in for a picture's stead, by the name under which it is kept."""

    image: str
    width: int
    height: int


class RemovedPage(BaseModel):
    id: int
    position: int
    thumb: str | None


class ReadAgain(OfRevision):
    languages: Codes | None = None
    keep: bool = True
    pages: Literal["page", "selection", "document"] = "page"
    selection: list[Id] = []
    text_from: TextFrom | None = None


class TemplateUse(BaseModel):
    """The pages that get the blocks of another page, as that is at `revision`; all of its document where left out.

    Many are better sent in portions, of which each names the `change` that the first one made.
    """

    revision: Revision
    pages: list[Id] | None = None
    change: Id | None = None


class DeliveryOrder(BaseModel):
    """Refused with 409 where pages could not be read, unless they are to be left out (`without_failed`), and where
    there are cautions about a file (signatures that will be lost), unless these are known (`knowingly`).
    """

    formats: list[str] = Field(min_length=1)
    documents: list[Id] | None = None
    options: DeliveryOptions = Field(default_factory=DeliveryOptions)
    without_failed: bool = False
    knowingly: bool = False
    made_by: OneLine = Field(default="", max_length=80)


class NamesWanted(BaseModel):
    formats: list[str] = Field(min_length=1, max_length=50)
    documents: list[Id] | None = None
    options: DeliveryOptions = Field(default_factory=DeliveryOptions)


class ToBeMade(BaseModel):
    """A file that would be made; `document_id` is the first of several that are joined."""

    document_id: int
    format: str
    name: str


class SetToSave(BaseModel):
    name: OneLine = Field(min_length=1, max_length=80)
    formats: list[str] = Field(min_length=1, max_length=50)
    options: DeliveryOptions = Field(default_factory=DeliveryOptions)


class NamedDeliverySet(SetToSave):
    id: int


class Weight(BaseModel):
    """What the pages' pictures of a document are likely to take in a PDF, in bytes, told by `pages` of them."""

    quality: Quality
    bytes: int
    pages: int


class FlowRun(BaseModel):
    text: str
    style: list[Style]


class FlowSource(BaseModel):
    """A text of a page that a block was joined from, as it runs."""

    page_id: int
    region_id: str
    text: str


class FlowItem(BaseModel):
    """A block as it will be delivered; `announced` is what is said before it is read aloud.

    `runs` are the text by how it is set, where not all of it is set plainly; `sources` are the texts that can be
    written anew.
    """

    role: Role
    announced: str
    text: str
    language: str
    page: int
    page_id: int
    region_id: str
    rows: list[list[str]] | None = None
    depth: int = 0
    runs: list[FlowRun] = []
    sources: list[FlowSource] = []


class FlowPart(BaseModel):
    """The blocks that begin on some pages; `following` is the next page to ask for, from 0."""

    items: list[FlowItem]
    following: int | None


class HeadingTold(BaseModel):
    """A heading of a document; `alike` is the same for all that are set like it, `skips` whether a level is missed."""

    page_id: int
    position: int
    region_id: str
    level: int
    text: str
    reason: str
    drawn: bool
    alike: str
    skips: bool
    box: Box | None
    image: str | None
    size: tuple[int, int] | None


class BlockPlace(BaseModel):
    page: Id
    region: str = Field(max_length=100)


class RolesOfMany(BaseModel):
    """What blocks of several pages are for; `change` goes on with a change that was begun."""

    role: Role
    places: list[BlockPlace] = Field(min_length=1, max_length=5_000)
    change: int | None = None


class Bookmarked(BaseModel):
    """A bookmark, the number of its page from 0, and the heading that it follows."""

    entry: BookmarkEntry
    position: int
    region_id: str | None


class Bookmarks(BaseModel):
    """A document's bookmarks; `from_headings` where nobody has had a hand in them, `added` is the new one's place."""

    revision: int
    added: int | None = None
    from_headings: bool
    bookmarks: list[Bookmarked]


class BookmarksChange(OfRevision):
    entries: list[BookmarkEntry] | None = Field(max_length=20_000)


class BookmarkPlace(OfRevision):
    """Where a new bookmark leads: a block, an area in pixels of the cleaned page, or the page as a whole."""

    page: Id
    region: str | None = Field(default=None, max_length=100)
    area: tuple[Pixel, Pixel, Pixel, Pixel] | None = None
    title: OneLine = Field(default="", max_length=500)


class LikePicture(BaseModel):
    page_id: int
    position: int
    region_id: str


class DescribeAlike(BaseModel):
    page: Id
    region: str = Field(max_length=100)
    text: Lines = Field(default="", max_length=100_000)
    decorative: bool = False


class Started(BaseModel):
    """How much is to be done; `revision` is the document's, where one was changed."""

    tasks: int
    revision: int | None = None


class Intake(BaseModel):
    documents: list[int]
    problems: list[FileProblem]


class Scanner(BaseModel):
    """A device that the clerk has named or confirmed."""

    id: int
    address: str
    name: str


class NewScanner(BaseModel):
    address: OneLine = Field(min_length=1, max_length=300)


class FoundScanner(BaseModel):
    """A device that announces itself; `known` where it was confirmed before."""

    address: str
    name: str
    known: bool


class ScannerInput(BaseModel):
    """Largest sheet in millimetres, dots an inch, and colours."""

    width: float
    height: float
    resolutions: list[int]
    colours: list[str]


class ScannerState(BaseModel):
    """What a device can do and how it is; `page` is its own page, `trouble` what is wrong with its feeder."""

    id: int
    name: str
    address: str
    page: str | None
    flatbed: ScannerInput | None
    feeder: ScannerInput | None
    both_sides: bool
    tones: list[str]
    trouble: str
    loaded: bool


class NamedPreset(BaseModel):
    id: int
    name: str
    preset: Preset


class NewPreset(BaseModel):
    name: OneLine = Field(min_length=1, max_length=80)
    preset: Preset


class Separators(BaseModel):
    """Names of documents; one that is empty makes a sheet that names none."""

    names: list[Annotated[OneLine, Field(max_length=120)]] = Field(min_length=1, max_length=200)


class NewScan(BaseModel):
    scanner: Id
    wish: Wish
    aim: Aim = Aim()


class Face(BaseModel):
    """A side of a sheet as it came, what became of it, and what is wrong with it."""

    id: int
    second_pass: bool
    number: int
    fate: str
    document: int | None
    title: str
    page: int | None
    remarks: list[str]
    separator: str | None
    width: int
    height: int


class Scan(BaseModel):
    id: int
    batch_id: int
    scanner: int | None
    wish: Wish
    aim: Aim
    running: bool
    trouble: Trouble | None
    second_pass: bool
    faces: list[Face]


class Move(OfRevision):
    """Pages that go to another document: behind one of its pages, or to its end."""

    pages: list[Id] = Field(min_length=1, max_length=20_000)
    to: Id
    behind: Id | None = None


class Split(OfRevision):
    """Pages at which new documents begin."""

    pages: list[Id] = Field(min_length=1, max_length=5_000)


class Documents(BaseModel):
    documents: list[Id] = Field(min_length=1, max_length=100_000)


class TableTold(BaseModel):
    """What a table has told: of how many documents, and its lines that are of no use, each with the reason."""

    told: int
    unused: list[str]


class Watch(BaseModel):
    """Whether a folder is watched for a batch."""

    on: bool


class DocumentsTold(BaseModel):
    """What is told of several documents: a title, where there is one, and the particulars that are not empty."""

    documents: list[Id] = Field(min_length=1, max_length=100_000)
    title: OneLine = Field(default="", max_length=500)
    particulars: Particulars = Particulars()
