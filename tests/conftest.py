"""Shared by the tests: a typesetter, pages that are made once, small contents."""

from __future__ import annotations

import hashlib
import os
import pickle
import subprocess
import tempfile
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from pathlib import Path

import numpy as np
import pikepdf
import pytest
from hypothesis import settings
from PIL import Image as Pillow
from playwright.sync_api import Browser, Page, expect

from bench.material import Case
from hyalen.core.imaging.clean import clean_page
from hyalen.core.imaging.pixels import Image
from hyalen.core.model.content import Cell, Line, PageContent, Region, RegionKind, Role, Table, Word
from hyalen.core.model.geometry import Box, Point
from hyalen.core.model.treatment import Cleaned, Treatment
from hyalen.core.read import read_content
from hyalen.core.reading.upright import find_turn
from hyalen.demo.spoil import Spoiling, spoil
from hyalen.demo.typeset import SetPage, Typesetter, typesetter
from tests.helpers import Server

# The same examples everywhere, so that a failure on one machine is a failure on all.
settings.register_profile("same", derandomize=True, deadline=None)
settings.load_profile("same")
# A busy machine is slow, not wrong.
expect.set_options(timeout=20_000)


# What runs for seconds only is compiled quickly and not well, which halves its time.
QUICK_JAVA = ("-XX:TieredStopAtLevel=1", "-XX:+UseSerialGC")


@pytest.fixture(scope="session")
def setter() -> Iterator[Typesetter]:
    with typesetter() as made:
        yield made


class Pages:
    """Pages of known text, set, spoilt, cleaned and read once, whichever process needs them."""

    def __init__(self, setter: Typesetter, shared: Path) -> None:
        self._setter, self._shared = setter, shared
        self._set: dict[Case, SetPage] = {}
        self._read: dict[Case, tuple[Image, Cleaned, PageContent]] = {}

    def truth(self, case: Case) -> SetPage:
        if case not in self._set:
            self._set[case] = case.set(self._setter)
        return self._set[case]

    def scan(self, case: Case) -> Image:
        return spoil(self.truth(case).image, case.dpi, case.how, seed=11)

    def read(self, case: Case) -> tuple[Image, Cleaned, PageContent]:
        kept = self._shared / hashlib.sha256(repr(case).encode()).hexdigest()
        if case not in self._read and kept.is_file():
            self._read[case] = pickle.loads(kept.read_bytes())
        if case not in self._read:
            turn = partial(find_turn, languages=(case.language,))
            page = clean_page(self.scan(case), case.dpi, Treatment(), turn)
            self._read[case] = page.read, page.cleaned, read_content(page.read, case.dpi, (case.language,))
            with tempfile.NamedTemporaryFile(dir=self._shared, delete=False) as file:
                pickle.dump(self._read[case], file)
            Path(file.name).rename(kept)
        return self._read[case]


@pytest.fixture(scope="session")
def pages(setter: Typesetter, tmp_path_factory: pytest.TempPathFactory) -> Pages:
    base = tmp_path_factory.getbasetemp()
    shared = (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "read"
    shared.mkdir(exist_ok=True)
    return Pages(setter, shared)


class Judge:
    """The reference validator of PDF/A and PDF/UA; all that tests deliver is shown to it once, at the end."""

    def __init__(self, directory: Path) -> None:
        self._directory = directory
        self.cases: list[str] = []

    def accepts(self, path: Path) -> None:
        """Have a PDF judged as the PDF/A and the PDF/UA that it says it is, one of them at least."""
        copy = self._directory / f"{len(self.cases)}-{path.name}"
        copy.write_bytes(path.read_bytes())
        with pikepdf.open(copy) as pdf:
            told = pdf.open_metadata()
            if "pdfaid:part" in told:
                self.cases.append(f"{told['pdfaid:part']}{told.get('pdfaid:conformance', '').lower()}:{copy}")
            else:
                assert "pdfuaid:part" in told
            if "pdfuaid:part" in told:
                self.cases.append(f"ua{told['pdfuaid:part']}:{copy}")

    def findings(self) -> list[str]:
        library = Path(__file__).parent.parent / ".venv/judge"
        command = ["java", *QUICK_JAVA, "-cp", f"{library}:{library}/*", "Judge", *self.cases]
        told = subprocess.run(command, capture_output=True, text=True, check=True, timeout=600).stdout.splitlines()
        assert sum(line.endswith((" passes", " fails")) or " fails " in line for line in told) == len(self.cases)
        return [line for line in told if not line.endswith(" passes")]


@pytest.fixture(scope="session")
def judge(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Judge]:
    made = Judge(tmp_path_factory.mktemp("judged"))
    yield made
    if made.cases:
        assert made.findings() == []


def make_line(
    text: str, left: int, top: int, ids: Callable[[], str], height: int = 40, confidence: float = 0.95
) -> Line:
    """A line of words 20 pixels a letter."""
    words, x = [], left
    for token in text.split():
        words.append(
            Word(id=ids(), text=token, box=Box(x, top, x + 20 * len(token), top + height), confidence=confidence)
        )
        x += 20 * len(token) + 15
    return Line(
        words=tuple(words),
        box=Box(left, top, x - 15, top + height),
        baseline=(Point(left, top + height), Point(x - 15, top + height)),
        height=float(height),
    )


def worn(content: PageContent) -> PageContent:
    """The page as a reader gives it that could hardly make it out."""

    def unsure(line: Line) -> Line:
        return line.model_copy(
            update={
                "words": tuple(
                    w.model_copy(update={"confidence": 0.2, "letters": "2" * len(w.text)}) for w in line.words
                )
            }
        )

    return content.with_lines(unsure)


class ContentMaker:
    """Builds page contents block by block, from top to bottom."""

    def __init__(self, language: str = "eng", top: int = 100) -> None:
        self._language = language
        self._number = 0
        self._top = top
        self._left = 200
        self.regions: list[Region] = []

    def ids(self) -> str:
        self._number += 1
        return f"w{self._number}"

    def add(self, role: Role, text: str, **more: object) -> ContentMaker:
        lines = []
        for part in text.split("\n"):
            lines.append(make_line(part, self._left, self._top, self.ids))
            self._top += 60
        self._top += 40
        box = Box(self._left, lines[0].box.top, max(line.box.right for line in lines), lines[-1].box.bottom)
        values = {
            "id": f"r{len(self.regions) + 1}",
            "kind": RegionKind.TEXT,
            "role": role,
            "outline": box.polygon(),
            "lines": tuple(lines),
            "language": self._language,
        }
        self.regions.append(Region(**(values | more)))
        return self

    def at(self, left: int, top: int) -> ContentMaker:
        """Go on there: in another column."""
        self._left, self._top = left, top
        return self

    def figure(self, alternative: str | None = None) -> ContentMaker:
        box = Box(300, self._top, 1100, self._top + 500)
        self._top += 540
        self.regions.append(
            Region(
                id=f"r{len(self.regions) + 1}",
                kind=RegionKind.FIGURE,
                role=Role.FIGURE,
                outline=box.polygon(),
                alternative_text=alternative,
            )
        )
        return self

    def table(self, rows: Sequence[Sequence[str]]) -> ContentMaker:
        """A table with a head row."""
        cells, top = [], self._top
        for r, row in enumerate(rows):
            for c, text in enumerate(row):
                box = Box(200 + 500 * c, top + 60 * r, 690 + 500 * c, top + 60 * (r + 1))
                lines = (make_line(text, box.left, box.top, self.ids),) if text.split() else ()
                cells.append(Cell(row=r, column=c, box=box, lines=lines, header=r == 0))
        box = Box(200, top, 200 + 500 * len(rows[0]), top + 60 * len(rows))
        self._top = box.bottom + 40
        self.regions.append(
            Region(
                id=f"r{len(self.regions) + 1}",
                kind=RegionKind.TABLE,
                role=Role.TABLE,
                outline=box.polygon(),
                language=self._language,
                table=Table(rows=len(rows), columns=len(rows[0]), cells=tuple(cells)),
            )
        )
        return self

    def page(self) -> PageContent:
        artifacts = tuple(r for r in self.regions if r.role.is_artifact)
        regions = tuple(r for r in self.regions if not r.role.is_artifact)
        return PageContent(
            width=2480, height=3508, dpi=300, regions=regions, artifacts=artifacts, languages=(self._language,)
        )


@pytest.fixture
def maker() -> type[ContentMaker]:
    return ContentMaker


@pytest.fixture
def blank_page() -> Image:
    return np.full((3508, 2480), 255, np.uint8)


@pytest.fixture(scope="session")
def small_scan(pages: Pages, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A quickly read page: the head of a clean one at 150 dpi."""
    image = pages.truth(Case("small", "eng", Spoiling(), dpi=150.0)).image[:420]
    path = tmp_path_factory.mktemp("scans") / "small.png"
    Pillow.fromarray(image).save(path, dpi=(150, 150))
    return path


@pytest.fixture
def data(tmp_path: Path) -> Path:
    return tmp_path / "data"


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    made = Server(tmp_path_factory.mktemp("browser") / "data")
    yield made
    made.kill()


@pytest.fixture(scope="module")
def browser(setter: Typesetter) -> Browser:
    # The typesetter's browser serves; Playwright runs once a thread.
    return setter._browser


@pytest.fixture
def page(browser: Browser, server: Server) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
    page = context.new_page()
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    page.goto(f"http://127.0.0.1:{server.port}/")
    yield page
    context.close()
    assert errors == []
