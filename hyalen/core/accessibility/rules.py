"""Accessibility rules over a whole document, each with its standard's clause."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.model.geometry import Frozen
from hyalen.core.proofing.doubts import Doubt, Mend, Stage


class Heading(Frozen):
    """A heading of a page (its index), for rules that look at the whole document."""

    page: int
    region_id: str
    level: int


def document_doubts(
    title: str,
    file_stem: str,
    page_count: int,
    headings: Sequence[Heading],
    first_heading: str = "",
    language: str | None = "eng",
) -> list[tuple[int, Doubt]]:
    """What a whole document lacks, as (page index, doubt).

    Rules: a title of its own (ISO 14289-1, 7.1; WCAG 2.2, 2.4.2),
    a language (ISO 14289-1, 7.2), headings that start at level 1 and skip none (ISO 14289-1, 7.4.2), bookmarks for more than 20
    pages (common practice, no source; they are made from headings). `first_heading` is proposed as title.
    """
    found: list[tuple[int, Doubt]] = []

    def add(
        page: int, key: str, weight: float, reason: str, region_id: str | None = None, mend: Mend | None = None
    ) -> None:
        found.append(
            (
                page,
                Doubt(
                    key=key,
                    stage=Stage.CHECK,
                    kind=key.split(":")[1],
                    weight=weight,
                    reason=reason,
                    region_id=region_id,
                    mend=mend,
                ),
            )
        )

    if not title.strip() or title.strip() == file_stem:
        proposed = Mend(label=f"Take “{first_heading[:60]}”", title=first_heading) if first_heading.strip() else None
        add(0, "check:title", 0.8, "The title is only the file's name: give the document one.", mend=proposed)
    if not language:
        add(0, "check:language", 0.7, "Nobody has told the language of the document, and it was not found.")
    if page_count > 20 and not headings:
        add(0, "check:bookmarks", 0.6, "More than 20 pages and no heading: there will be no bookmarks.")
    before = 0
    for heading in headings:
        if heading.level > before + 1:
            missed = f"Heading {heading.level} follows " + (f"heading {before}" if before else "no heading")
            add(
                heading.page,
                f"check:level:{heading.region_id}",
                0.5,
                f"{missed}: a level is skipped.",
                heading.region_id,
                Mend(
                    label=f"Make it heading {before + 1}",
                    operation={"op": "set_role", "region_id": heading.region_id, "role": f"heading_{before + 1}"},
                ),
            )
        before = heading.level
    return found
