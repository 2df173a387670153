"""The accessibility rules as data: the clause each comes from, whom it serves, and who judges."""

from __future__ import annotations

from enum import StrEnum
from typing import NamedTuple


class Judge(StrEnum):
    """Who can tell."""

    MACHINE = "machine"
    PERSON = "person"


class Rule(NamedTuple):
    """A rule.

    Attributes
    ----------
    clause : str
        Of ISO 14289-1 (PDF/UA-1), ISO 32000-1 or WCAG 2.2.
    protocol : str
        Failure condition of the Matterhorn Protocol 1.1, or "".
    why : str
        Why it matters, to whom.
    stops : bool
        Whether a file with such a finding may not say that it is PDF/UA.
    """

    id: str
    clause: str
    protocol: str
    why: str
    judge: Judge = Judge.MACHINE
    stops: bool = False


# Clauses and conditions from memory of the standards named.
RULES = {
    rule.id: rule
    for rule in (
        Rule("title", "ISO 14289-1, 7.1; WCAG 2.2, 2.4.2", "06-003", "It is the first thing that is read aloud, and what tells one open document from another."),
        Rule("language", "ISO 14289-1, 7.2; WCAG 2.2, 3.1.1", "11-001", "A screen reader picks its voice by it.", stops=True),
        Rule("level", "ISO 14289-1, 7.4.2; WCAG 2.2, 1.3.1", "14-003", "Who goes from heading to heading thinks that a part was missed.", stops=True),
        Rule("bookmarks", "common practice, no source; WCAG 2.2, 2.4.5", "", "In a long document bookmarks are the only way to get about quickly."),
        Rule("alternative", "ISO 14289-1, 7.3; WCAG 2.2, 1.1.1", "13-004", "Who cannot see the picture learns from its description what it says.", stops=True),
        Rule("poor_alternative", "WCAG 2.2, 1.1.1", "", "A file's name, or “image of”, says nothing of what is seen."),
        Rule("repeated_alternative", "WCAG 2.2, 1.1.1", "", "Different pictures with one description cannot be told apart."),
        Rule("formula", "ISO 14289-1, 7.7", "17-002", "Signs of a formula are read one by one where nobody says what it means."),
        Rule("headers", "ISO 14289-1, 7.5; WCAG 2.2, 1.3.1", "15-002", "Header cells are read with each cell; without them a number is a number of nothing."),
        Rule("lone_item", "ISO 32000-1, 14.8.4.3.3", "09-003", "A list of one item is announced as a list, and is none."),
        Rule("caption", "ISO 32000-1, 14.8.4.3", "09-003", "A caption without its picture or table is read where it explains nothing."),
        Rule("contrast", "WCAG 2.2, 1.4.3", "", "Faint print cannot be read by who sees little, nor by anybody on a poor screen."),
        Rule("small", "common practice, no source; WCAG 2.2, 1.4.4", "", "Print that is too small stays unreadable even enlarged, where the scan has too few dots."),
        Rule("unspeakable", "ISO 14289-1, 7.2; ISO 32000-1, 9.10", "10-001", "No voice can say characters that mean nothing."),
        Rule("jump", "ISO 14289-1, 7.1; WCAG 2.2, 1.3.2", "09-001", "A voice that goes back up the page reads what has been read, or in the wrong order."),
        Rule("said_language", "ISO 14289-1, 7.2; WCAG 2.2, 3.1.2", "11-007", "A voice of another language makes nonsense of the words."),
        Rule("link", "WCAG 2.2, 2.4.4", "", "An address that is spelt out letter by letter does not say where it leads."),
        Rule("order", "ISO 14289-1, 7.1; WCAG 2.2, 1.3.2", "09-001", "Only who reads along knows whether the order makes sense.", Judge.PERSON),
        Rule("describes", "ISO 14289-1, 7.3; WCAG 2.2, 1.1.1", "", "Only who sees the picture knows whether the description says what it says.", Judge.PERSON),
        Rule("is_table", "ISO 14289-1, 7.5; WCAG 2.2, 1.3.1", "15-004", "Rows and columns are announced; where they only lay text out they confuse.", Judge.PERSON),
        Rule("headings", "ISO 14289-1, 7.4; WCAG 2.2, 2.4.6", "14-001", "Who skims by headings relies on what they promise.", Judge.PERSON),
        Rule("colour", "ISO 14289-1, 7.1; WCAG 2.2, 1.4.1", "04-001", "What colour alone says is lost on who does not see it.", Judge.PERSON),
    )
}  # fmt: skip

# What cannot be wrong in files that are made of scans, and is therefore not looked for.
NOT_HERE = {
    "02": "Role maps: only standard structure types are written.",
    "03": "Flicker: pages are still images and text.",
    "05": "Sound: there is none.",
    "12": "Stretched characters: ink is a picture, its text invisible and of one width a word.",
    "18": "Page headers and footers are artifacts with their subtype.",
    "20": "Optional content: there is none.",
    "21": "Embedded files: there are none.",
    "22": "Article threads: there are none.",
    "23": "Digital signatures: there are none.",
    "24": "Non-interactive forms: their text is read as text.",
    "25": "XFA: there is none.",
    "26": "Security: files are not encrypted.",
    "27": "Navigation: bookmarks follow the headings.",
    "29": "Scripts: there are none.",
    "30": "XObjects: a page's picture is an artifact or figure, none refers to another.",
}
SENSORY = (
    "Sensory directions (WCAG 2.2, 1.3.3): what an old paper says of round or red things it says in its own words."
)
