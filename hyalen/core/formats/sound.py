"""A document as it is heard, read by espeak-ng; WAV, FLAC or Opus with chapter marks at its headings.

FLAC and Opus (RFC 6716, RFC 7845) are coded by Debian's own tools.
"""

from __future__ import annotations

import shutil
import struct
import subprocess
import tempfile
import wave
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from functools import cache, partial
from pathlib import Path
from typing import BinaryIO, NamedTuple

from hyalen.core.accessibility.spoken import Kind, Said, readable, spoken
from hyalen.core.formats.format import DeliveryOptions, Images, Write
from hyalen.core.formats.names import delivery_stem
from hyalen.core.languages import language_tag
from hyalen.core.structure.tree import StructureTree

RATE = 22_050  # samples a second, as espeak-ng gives them, of 16 bits
PAUSE, LONG_PAUSE = 0.3, 0.8  # seconds after what is said, and around a heading
WORDS_A_MINUTE = 165
SECONDS = 60.0  # for one stretch
MOST_SAMPLES = (2**32 - 2**20) // 2  # of 16 bits, that a RIFF file can count
LONGEST = 6_000  # letters of one stretch
DEEPEST_CHAPTER = 2  # level of the headings at which chapters begin
_CODERS = {
    "flac": ("flac", "--silent", "--force", "-o", "{out}", "{tags}", "{wav}"),
    "opus": ("opusenc", "--quiet", "--bitrate", "24", "--comp", "0", "--speech", "{tags}", "{wav}", "{out}"),
}


class NoVoice(RuntimeError):
    """The program that speaks, or one that codes sound, is not there or has failed."""


class Chapter(NamedTuple):
    """`start` is in samples."""

    start: int
    title: str


@cache
def voices() -> frozenset[str]:
    """The languages that can be spoken, as espeak-ng names them; none where it is not there."""
    if shutil.which("espeak-ng") is None:
        return frozenset()
    told = subprocess.run(["espeak-ng", "--voices"], capture_output=True, text=True, timeout=SECONDS, check=False)
    names = [line.split()[1] for line in told.stdout.splitlines()[1:] if len(line.split()) > 1]
    return frozenset(names) | {name.partition("-")[0] for name in names}  # "fr" is spoken as "fr-fr" is


def voice(language: str) -> str:
    """The voice for a language (ISO 639-3), or an English one."""
    tag = language_tag(language).casefold()
    return next((name for name in (tag, tag.partition("-")[0]) if name in voices()), "en")


def speak(text: str, language: str, speed: int = WORDS_A_MINUTE) -> bytes:
    """Samples of a text that is read out: 16 bits, one channel, `RATE` a second.

    Raises
    ------
    NoVoice
    """
    if not voices():
        raise NoVoice("espeak-ng is not installed; `make setup` installs it")
    command = ["espeak-ng", "-v", voice(language), "-s", str(speed), "--stdin", "--stdout"]
    said = readable(text, language)[:LONGEST]
    try:
        told = subprocess.run(command, input=said.encode("utf8"), capture_output=True, timeout=SECONDS, check=True)
    except (OSError, subprocess.SubprocessError) as error:
        raise NoVoice(f"it could not be spoken: {error}") from error
    at = told.stdout.find(b"data")  # its header does not know yet how long the sound is
    return told.stdout[at + 8 :] if at >= 0 else b""


def as_wav(samples: bytes) -> bytes:
    """Samples as a whole WAV file."""
    head = struct.pack("<4sI4s4sIHHIIHH", b"RIFF", 36 + len(samples), b"WAVE", b"fmt ", 16, 1, 1, RATE, 2 * RATE, 2, 16)
    return head + struct.pack("<4sI", b"data", len(samples)) + samples


def heard(said: Said, speed: int = WORDS_A_MINUTE) -> Iterator[bytes]:
    """The samples of one stretch: what is announced, in English, then the text in its language."""
    if said.kind is Kind.HEADING:
        yield _silence(LONG_PAUSE - PAUSE)
    for text, language in ((said.announced, "eng"), (said.text, said.language)):
        if any(c.isalnum() for c in text):
            yield speak(text, language, speed)
            yield _silence(PAUSE)
    if said.kind is Kind.HEADING:
        yield _silence(LONG_PAUSE - PAUSE)


def _silence(seconds: float) -> bytes:
    return bytes(2 * round(seconds * RATE))


def sound_writer(name: str) -> Write:
    """What writes "wav", "flac" or "opus"."""
    return partial(_write, name)


def _write(name: str, tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    with tempfile.TemporaryDirectory(prefix="hyalen-sound-") as directory:
        path = Path(directory) / "spoken.wav"
        chapters = _record(path, spoken(tree.nodes()))
        with _finished(name, path, tree.title, chapters).open("rb") as made:
            shutil.copyfileobj(made, file)


def write_chapters(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """A ZIP of Opus files, one for each chapter and one for what stands before the first."""
    with tempfile.TemporaryDirectory(prefix="hyalen-sound-") as directory, zipfile.ZipFile(file, "w") as archive:
        path = Path(directory) / "spoken.wav"
        for number, chapter in enumerate(_by_chapter(spoken(tree.nodes())), 1):
            title = chapter[0].text if chapter[0].kind is Kind.HEADING else tree.title
            marks = _record(path, chapter)
            made = _finished("opus", path, title, marks)
            archive.write(made, f"{number:03}-{delivery_stem(title[:60] + '.x')}.opus")


def _begins_chapter(said: Said) -> bool:
    return said.kind is Kind.HEADING and said.level <= DEEPEST_CHAPTER


def _by_chapter(said: Iterable[Said]) -> Iterator[list[Said]]:
    chapter: list[Said] = []
    for each in said:
        if _begins_chapter(each) and chapter:
            yield chapter
            chapter = []
        chapter.append(each)
    if chapter:
        yield chapter


def _record(path: Path, said: Iterable[Said]) -> list[Chapter]:
    """Read out into a WAV file; where its chapters begin."""
    chapters: list[Chapter] = []
    with wave.open(str(path), "wb") as out:
        out.setnchannels(1)
        out.setsampwidth(2)
        out.setframerate(RATE)
        for each in said:
            if _begins_chapter(each):
                chapters.append(Chapter(out.tell(), each.text))
            for samples in heard(each):
                out.writeframes(samples)
            if out.tell() > MOST_SAMPLES:
                raise NoVoice("the document is longer than one sound file holds, which is a day; part it")
        if not out.tell():  # a coder refuses a file without any
            out.writeframes(_silence(PAUSE))
    return chapters


def _finished(name: str, path: Path, title: str, chapters: Sequence[Chapter]) -> Path:
    """A WAV file with its marks, or coded as something else."""
    if name != "wav":
        return _coded(name, path, title, chapters)
    with path.open("ab") as end:
        end.write(_cues(chapters))
    _tell_length(path)
    return path


def _coded(name: str, path: Path, title: str, chapters: Sequence[Chapter]) -> Path:
    out = path.with_suffix(f".{name}")
    flag = "--tag" if name == "flac" else "--comment"
    tags = [f"{flag}=TITLE={title}"]
    for number, chapter in enumerate(
        chapters, 1
    ):  # as players of Vorbis comments know them (common practice, no source)
        seconds = chapter.start / RATE
        clock = f"{int(seconds // 3600):02}:{int(seconds // 60) % 60:02}:{seconds % 60:06.3f}"
        tags += [
            f"{flag}=CHAPTER{number:03}={clock}",
            f"{flag}=CHAPTER{number:03}NAME={' '.join(chapter.title.split())}",
        ]
    command: list[str] = []
    for part in _CODERS[name]:
        command += tags if part == "{tags}" else [part.format(wav=path, out=out)]
    try:
        subprocess.run(command, capture_output=True, check=True)
    except (OSError, subprocess.SubprocessError) as error:
        raise NoVoice(f"the sound could not be coded as {name.upper()}: {error}") from error
    return out


def _cues(chapters: Sequence[Chapter]) -> bytes:
    """Chapter marks of a WAV file: a cue chunk and its labels (Multimedia Programming Interface 1.0, 1991)."""
    if not chapters:
        return b""
    points = b"".join(struct.pack("<II4sIII", i, c.start, b"data", 0, 0, c.start) for i, c in enumerate(chapters, 1))
    cue = struct.pack("<4sII", b"cue ", 4 + len(points), len(chapters)) + points
    labels = b"adtl"
    for number, chapter in enumerate(chapters, 1):
        text = chapter.title.encode("utf8") + b"\0"
        labels += struct.pack("<4sII", b"labl", 4 + len(text), number) + text + b"\0" * (len(text) % 2)
    return cue + struct.pack("<4sI", b"LIST", len(labels)) + labels


def _tell_length(path: Path) -> None:
    """Let the RIFF header count what was added at the end."""
    with path.open("r+b") as file:
        file.seek(4)
        file.write(struct.pack("<I", path.stat().st_size - 8))
