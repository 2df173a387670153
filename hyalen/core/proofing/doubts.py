"""What the program is not sure of, worst first, for all stages."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from enum import StrEnum

from pydantic import JsonValue

from hyalen.core.languages import CAPITAL_NOUNS, frequency, has_word_list, identify, language_name
from hyalen.core.layout.cells import odd_cells
from hyalen.core.layout.paragraphs import LIST_MARKER
from hyalen.core.model.content import PageContent, Region, RegionKind, Role, Subject, Word
from hyalen.core.model.geometry import Box, Frozen
from hyalen.core.model.treatment import Cleaned
from hyalen.core.proofing.chance import Judged, judge
from hyalen.core.proofing.evidence import told as told_by
from hyalen.core.proofing.placed import core_of, main_language
from hyalen.core.proofing.slips import alike, columns_of
from hyalen.core.proofing.totals import wrong_totals

SURE = 0.75  # confidence below which a finding or role is a doubt
MOST_SHARED = 0.2  # of the smaller area
FIRST_WORDS = 80  # characters by which a doubt tells its region
MERGED, LIKELIER = 3.0, 2.0  # Zipf frequency: of two words in one; by which one of like shape is more common
UNCLEAR = 0.6  # the reader's confidence in a word; below, most are damaged ink and not rare words
PARTED = 1.0  # Zipf: how much more usual two parts are as one word
UNUSUAL = 0.3  # of the numbers around it have the same signs
UNSURE, MOST_UNSURE = 8, 2  # tenths of certainty of a letter; so many letters of a word are named


class Stage(StrEnum):
    """The stages of the job, in order."""

    BRING_IN = "bring_in"
    CLEAN = "clean"
    READ = "read"
    PROOF = "proof"
    TAG = "tag"
    CHECK = "check"
    DELIVER = "deliver"


class Mend(Frozen):
    """What would settle a doubt: a change that a screen may ask for (`decisions.requests`), or a title."""

    label: str
    operation: dict[str, JsonValue] | None = None
    title: str | None = None


class Doubt(Frozen):
    """One thing to settle.

    Attributes
    ----------
    key : str
        Stable within the page: the same doubt has the same key after a change elsewhere.
    weight : float
        How likely it is wrong and how much that matters, 0 to 1.
    place : Box or None
        Of a word, on the cleaned page.
    alike : str
        Of a word: what it has in common with others; see `slips.alike`.
    mend : Mend or None
        What would settle it.
    """

    key: str
    stage: Stage
    kind: str
    weight: float
    reason: str
    region_id: str | None = None
    word_id: str | None = None
    text: str = ""
    place: Box | None = None
    alike: str = ""
    mend: Mend | None = None


def word_reason(word: Word, language: str, seen: Mapping[str, float] | None = None) -> str:
    """What is doubtful about a word, for the clerk; `seen` is the evidence by name."""
    seen, core = seen or {}, core_of(word.text)
    says = []
    if readings := word.readings:
        says.append("two readings: " + " or ".join(f"“{each}”" for each in (word.text, *readings[:2])))
    if not any(c.isalnum() for c in core):
        says.append("a mark alone: perhaps a speck")
    elif any(c.isdigit() for c in core):
        if any(c.isalpha() for c in core):
            says.append("letters and figures in one word")
        elif seen.get("fragment"):
            says.append("perhaps part of the number beside it")
        elif not word.others:
            says.append("figures, which no word list can confirm")
    elif has_word_list(language) and (seen["unknown"] if seen else frequency(core.casefold(), language) == 0):
        if seen.get("merged", 0) > MERGED:
            says.append("perhaps two words in one")
        else:
            says.append(f"not in the {language_name(language)} word list")
        if seen.get("on_page") or seen.get("in_document", 0) > 1:
            says.append("though it stands here more than once")
    elif seen.get("likelier", 0) > LIKELIER:
        says.append("a word that looks like it is far more common")
    if seen.get("odd_case") and not any(c.isdigit() for c in core):
        says.append("capitals within it")
    says += _of_its_marks(word, language, seen)
    weak = " and ".join(f"“{letter}”" for letter in unclear_letters(word))
    if word.confidence < UNCLEAR:
        says.append(
            f"{weak or 'its ink'} {'are' if ' and ' in weak else 'is'} unclear: worn, blurred, or touched by a speck"
        )
    elif not says:
        says.append(f"{weak or 'a letter of it'} could be another")
    return f"{says[0][0].upper()}{'; '.join(says)[1:]}."


def _of_its_marks(word: Word, language: str, seen: Mapping[str, float]) -> Iterator[str]:
    """What is doubtful about the marks within and around a word."""
    if seen.get("joined"):
        yield "perhaps two words without the space between them"
    if seen.get("usual_number", 1) < UNUSUAL:
        yield "other signs in it than in the numbers around"
    if seen.get("unpaired"):
        yield "a bracket or quotation mark without the other one"
    if seen.get("sentence", 0) == -1:
        yield "the end of a sentence before a small letter"
    within = seen.get("capital", 0) < 0 and language not in CAPITAL_NOUNS
    if seen.get("capital", 0) == -1:
        yield "a small letter after the end of a sentence"
    elif within and seen.get("same_shape") and seen.get("line_start"):
        yield "a capital within a sentence"
    if seen.get("parted", 0) > PARTED:
        yield "perhaps one word over the line's end, without its hyphen"
    if seen.get("least_mark", 9) < UNSURE:
        unsure = min((int(sure), c) for c, sure in zip(word.text, word.letters, strict=True) if not c.isalnum())
        yield f"“{unsure[1]}” is unclear: perhaps a speck, or another mark"


def unclear_letters(word: Word) -> list[str]:
    """The letters that the reader was unsure of, where they are few among surer ones."""
    if len(word.letters) != len(word.text):
        return []
    least = min(9, *map(int, word.letters)) if word.letters else 9
    weak = [c for c, sure in zip(word.text, word.letters, strict=True) if int(sure) == least and c.isalnum()]
    return weak if least <= UNSURE and len(weak) <= MOST_UNSURE < len(word.text) else []


LEAST_CHANCE = 0.06  # that a word is wrong; below, it is no doubt
LONGEST_COMMENT = 240  # letters of it that a doubt tells
LEAST_TOLD, LEAST_MARGIN = 8, 0.04  # words of a block; by which its language must lead the next
LEAST_UNTOLD, MUCH_UNTOLD = 12, 0.2  # words in a language that nobody told; of the page's words


def page_doubts(
    content: PageContent,
    cleaned: Cleaned | None = None,
    unplaced: Sequence[tuple[int, str]] = (),
    judged: Sequence[Judged] | None = None,
    told: Mapping[str, Doubt] | None = None,
) -> list[Doubt]:
    """The open doubts of one page, worst first.

    `unplaced` are the number and name of each decision whose ink is not on the page any more, `judged` its words
    where they are known already, `told` the doubts about them by word id.
    """
    fallback = main_language(content)
    found = [
        *_cleaning(cleaned),
        *_nothing_read(content, cleaned),
        *_unplaced(unplaced),
        *_layout(content),
        *_regions(content),
        *_tables(content),
        *_languages(content),
        *_untold_language(content),
        *_own_text(content),
        *_comments(content),
        *word_doubts(judge(content) if judged is None else judged, fallback, told),
    ]
    accepted = set(content.accepted)
    return sorted((d for d in found if d.key not in accepted), key=lambda d: -d.weight)


def _cleaning(cleaned: Cleaned | None) -> Iterator[Doubt]:
    if cleaned is None:
        return
    for finding in cleaned.findings:
        if finding.confidence < SURE:
            yield Doubt(
                key=f"clean:{finding.step}" + (f":{finding.topic}" if finding.topic else ""),
                stage=Stage.CLEAN,
                kind=finding.step,
                weight=round(1 - finding.confidence, 3),
                reason=finding.says,
            )


def _nothing_read(content: PageContent, cleaned: Cleaned | None) -> Iterator[Doubt]:
    if cleaned is None or cleaned.blank or any(True for _ in content.words):
        return
    yield Doubt(
        key="read:nothing",
        stage=Stage.READ,
        kind="nothing",
        weight=0.99,
        reason="There is ink, and not one word was read: a picture, handwriting, another language, or upside down?",
    )


def _unplaced(decisions: Sequence[tuple[int, str]]) -> Iterator[Doubt]:
    for number, name in decisions:
        yield Doubt(
            key=f"read:unplaced:{number}",
            stage=Stage.READ,
            kind="unplaced",
            weight=0.95,
            reason=f"What was decided before finds no place on the page as it is read now: {name}.",
        )


def _layout(content: PageContent) -> Iterator[Doubt]:
    if content.unread:
        first = content.unread[0]
        down = "upper" if first.centre.y < content.height / 2 else "lower"
        across = "left" if first.centre.x < content.width / 2 else "right"
        count = len(content.unread)
        yield Doubt(
            key="read:unread",
            stage=Stage.READ,
            kind="unread",
            weight=min(0.95, 0.5 + 0.05 * count),
            reason=f"Ink like writing was not read in {count} place{'s' * (count > 1)}, the first at the {down} {across}.",
        )
    tied = [r for r in content.regions if r.id in content.near_ties]
    if tied:
        words = " ".join(tied[0].text.split())[:FIRST_WORDS]
        blocks = f"{len(tied)} blocks" if len(tied) > 1 else "one block"
        yield Doubt(
            key="read:order",
            stage=Stage.READ,
            kind="order",
            weight=min(0.5, 0.3 + 0.02 * len(tied)),
            reason=f"Whether {blocks} might come elsewhere was nearly a tie"
            + (f", the first “{words}”" if words else "")
            + ": see whether the order is right.",
            region_id=tied[0].id,
            text=words,
        )
    for region in content.artifacts:
        if region.lines and region.confidence < SURE and not region.stays and _unseen(region):
            yield _about(
                region,
                Stage.READ,
                "aside",
                round(1.2 - region.confidence, 3),
                f"Left out of what is read aloud: {region.reason}.",
            )
    boxes = [region.box for region in content.regions]
    for i, region in enumerate(content.regions):
        for at, other in enumerate(content.regions[:i]):
            shared = boxes[i].overlap(boxes[at])
            if not shared:
                continue
            figure = region.kind.is_picture or other.kind.is_picture  # text over a picture is no fault
            if figure or shared < MOST_SHARED * min(boxes[i].area, boxes[at].area) or _apart(region, other):
                continue
            yield _about(
                region,
                Stage.READ,
                "overlap",
                0.5,
                "Two regions lie on each other: perhaps one line was read twice, or two columns as one.",
            )
            break


def _about(
    region: Region, stage: Stage, kind: str, weight: float, reason: str, part: str = "", text: str = ""
) -> Doubt:
    """A doubt about a region, or about `part` of it, told by its first words unless by `text`."""
    return Doubt(
        key=f"{stage}:{kind}:{region.id}{part}",
        stage=stage,
        kind=kind,
        weight=weight,
        reason=reason,
        region_id=region.id,
        text=text or region.text[:FIRST_WORDS],
    )


def _apart(region: Region, other: Region) -> bool:
    """Whether no line of the one lies on a line of the other, as where text goes round something."""
    return not any(
        a.box.overlap(b.box) > MOST_SHARED * min(a.box.area, b.box.area)
        for a in region.all_lines
        for b in other.all_lines
    )


def _tables(content: PageContent) -> Iterator[Doubt]:
    for region in content.regions:
        if region.table is None or region.stays:
            continue
        if region.confidence < SURE:
            yield _about(
                region,
                Stage.READ,
                "table",
                round(1 - region.confidence, 3),
                "A table told by its aligned columns alone: see whether rows and columns are right.",
            )
        odd = odd_cells(region.table)
        if odd:
            one = len(odd) == 1
            yield _about(
                region,
                Stage.READ,
                "cell",
                min(0.7, 0.4 + 0.03 * len(odd)),
                f"{'A cell' if one else f'{len(odd)} cells'} in columns of figures {'holds' if one else 'hold'} no figure"
                f"{'' if one else ', the first'}: “{' '.join(odd[0].text.split())}”.",
                text=odd[0].text,
            )
        for cell, sum_ in wrong_totals(region.table):
            yield _about(
                region,
                Stage.READ,
                "total",
                0.6,
                f"The column adds up to {sum_:,.10g}, the total says {cell.text.strip()}.",
                part=f":{cell.row}:{cell.column}",
                text=cell.text,
            )


def _comments(content: PageContent) -> Iterator[Doubt]:
    """What somebody noted on the page is no part of what is delivered: the clerk decides."""
    for number, comment in enumerate(content.comments, 1):
        says = comment if len(comment) <= LONGEST_COMMENT else f"{comment[:LONGEST_COMMENT]}…"
        reason = f"A comment in the file, which is not delivered: “{says}”"
        yield Doubt(key=f"read:comment:{number}", stage=Stage.READ, kind="comment", weight=0.35, reason=reason)


def _own_text(content: PageContent) -> Iterator[Doubt]:
    """A page came with text that is not what its ink says."""
    own = content.own_text
    if own is None or own.fits:
        return
    says = (
        f"“{own.layer[:60]}” stands in the file where the ink says “{own.ink[:60]}”"
        if own.layer
        else "it cannot be read, or lies off its ink"
    )
    what = "it is kept as you chose" if own.taken else "the page was read from its ink"
    reason = f"The page's own text does not fit: {says}; {what}."
    yield Doubt(key="read:own_text", stage=Stage.READ, kind="own_text", weight=0.7, reason=reason)


def _languages(content: PageContent) -> Iterator[Doubt]:
    """Blocks that are as likely in another of the page's languages, or in none of them."""
    if len(content.languages) < 2:
        return
    for region in content.regions:
        texts = [w.text for w in region.words]
        if region.kind is not RegionKind.TEXT or len(texts) < LEAST_TOLD or not _unseen(region):
            continue
        language, margin = identify(texts, content.languages)
        set_by_hand = language is not None and language != region.language
        if set_by_hand or margin >= LEAST_MARGIN:
            continue
        names = " or ".join(language_name(code) for code in content.languages)
        yield _about(region, Stage.READ, "language", 0.3, f"Its language is not certain: {names}?")


def _untold_language(content: PageContent) -> Iterator[Doubt]:
    """Much of the page is in a language that nobody told: it was read by the wrong model and word list."""
    told = {*content.languages, *(r.language for r in content.regions)}  # what a clerk sets is told, too
    words = [w for r in content.regions for w in r.words if sum(map(str.isalpha, w.text)) > 1]
    found = Counter(w.language for w in words if w.language and w.language not in told)
    for language, count in found.most_common(1):
        if count >= max(LEAST_UNTOLD, MUCH_UNTOLD * len(words)):
            name, as_told = language_name(language), " and ".join(map(language_name, content.languages))
            reason = f"Much of it seems to be {name}, but it was read as {as_told}: read it again with {name}."
            yield Doubt(key="read:untold", stage=Stage.READ, kind="language", weight=0.9, reason=reason)


def _regions(content: PageContent) -> Iterator[Doubt]:
    for region in content.regions:
        if region.kind is RegionKind.FIGURE and not region.description:
            yield _about(
                region,
                Stage.TAG,
                "alternative",
                0.9,
                f"A {_shown(region)} without a description: describe it, or mark it as decorative.",
            )
        elif region.kind is RegionKind.FORMULA and not (region.alternative_text or "").strip():
            yield _about(
                region,
                Stage.TAG,
                "formula",
                0.7,
                "A formula is spoken as it was read: write what a person would say, or make it text again.",
            )
        elif region.role.heading_level and region.confidence < SURE:
            yield _about(
                region,
                Stage.TAG,
                "role",
                round(1 - region.confidence, 3),
                "Perhaps a heading: set a little larger or bolder than the text.",
            )
        elif region.role is Role.PARAGRAPH and LIST_MARKER.match(region.text) and not region.stays:
            yield _about(
                region, Stage.TAG, "role", 0.3, "Perhaps a list item: it starts with a list marker but stands alone."
            )
        elif region.kind is RegionKind.TEXT and region.confidence < 0.5 and _unseen(region):
            yield _about(
                region,
                Stage.READ,
                "region",
                round(1 - region.confidence, 3),
                "Few of its words are known or clear: perhaps a stamp, a drawing or handwriting.",
            )


def _shown(region: Region) -> str:
    """What a picture shows, in a word."""
    if region.subject is Subject.MUSIC:
        return "piece of music"
    return region.subject.value.replace("_", " ") if region.subject else "picture"


def _unseen(region: Region) -> bool:
    return not any(word.settled for word in region.words)


def without_reason(judged: Sequence[Judged], told: Collection[str]) -> set[str]:
    """The words that are doubts of which nobody has told why, by their ids."""
    return {
        each.placed.word.id
        for each in judged
        if each.evidence is None
        and each.chance >= LEAST_CHANCE
        and not each.placed.word.settled
        and each.placed.word.id not in told
    }


def word_doubts(judged: Sequence[Judged], fallback: str, told: Mapping[str, Doubt] | None = None) -> Iterator[Doubt]:
    """About words that are likely enough wrong.

    Parameters
    ----------
    judged : sequence of Judged
    fallback : str
        Language of blocks that say none.
    told : mapping of str to Doubt, optional
        By word id, for words without evidence.
    """
    columns: dict[str, dict[str, int]] = {}
    for each in judged:
        word, region = each.placed.word, each.placed.region
        if word.settled or each.chance < LEAST_CHANCE:
            continue
        weight = round(each.chance, 3)
        if each.evidence is None:
            known = (told or {})[word.id]
            yield known.model_copy(update={"weight": weight, "place": word.box, "region_id": region.id})
            continue
        if region.id not in columns:
            columns[region.id] = columns_of(region)
        seen = told_by(each.evidence)
        yield Doubt(
            key=f"proof:word:{word.id}",
            stage=Stage.PROOF,
            kind="word",
            weight=weight,
            region_id=region.id,
            word_id=word.id,
            text=word.text,
            reason=word_reason(word, region.language or fallback, seen),
            place=word.box,
            alike=alike(word, columns[region.id].get(word.id), seen["unknown"] > 0),
        )
