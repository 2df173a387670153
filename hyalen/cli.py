"""The command line: `serve`, `batch`, `watch`, `scanner` and `inspect`."""

from __future__ import annotations

import argparse
import logging
import sys
from collections.abc import Callable, Sequence
from importlib import import_module
from pathlib import Path

from hyalen import __version__
from hyalen.commands import UsageError
from hyalen.work.forking import forking

DEFAULT_PORT = 8320
WORKING = ("serve", "batch", "watch", "inspect")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command; its exit code."""
    arguments = sys.argv[1:] if arguments is None else arguments
    try:
        if arguments and arguments[0] in WORKING:
            forking()  # first of all: it loads on another core while this process loads what the command needs
        told = _parser().parse_args(arguments)
        logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s", stream=sys.stderr)
        # Slow to load: help and wrong use are answered without.
        return int(import_module(f"hyalen.commands.{told.run}").run(told))
    except KeyboardInterrupt:
        print("stopped", file=sys.stderr)
        return 130
    except UsageError as error:
        print(f"hyalen: {error}", file=sys.stderr)
        return 2


def _number(least: int, most: int) -> Callable[[str], int]:
    def number(text: str) -> int:
        if not text.isascii() or not text.isdigit() or not least <= int(text) <= most:
            raise argparse.ArgumentTypeError(f"must be a whole number from {least} to {most}, not {text!r}")
        return int(text)

    return number


def _pattern(text: str) -> str:
    from hyalen.core.formats.names import checked_pattern

    try:
        return checked_pattern(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(str(error)) from error


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="hyalen", description="Paper and poor scans into accessible files.")
    parser.add_argument("--version", action="version", version=__version__)
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    serve = commands.add_parser("serve", help="start the application")
    serve.add_argument("--data", type=Path, metavar="DIR", help="where everything is kept")
    serve.add_argument("--port", type=_number(1, 65535), default=DEFAULT_PORT, metavar="N")
    serve.add_argument("--post", type=Path, metavar="DIR", help="where deliveries are put if that is wanted")
    serve.add_argument("--watch", type=Path, metavar="DIR", help="where batches may have folders that are watched")
    serve.add_argument("--workers", type=_number(1, 1000), metavar="N")
    serve.set_defaults(run="serve")

    batch = commands.add_parser("batch", help="clean, read and deliver files without a browser")
    batch.add_argument("inputs", nargs="+", type=Path, metavar="INPUT")
    batch.add_argument("--out", type=Path, required=True, metavar="DIR")
    _making(batch)
    batch.add_argument("--joined", metavar="TITLE", help="make one file of all inputs")
    batch.add_argument("--recursive", action="store_true", help="take folders in named folders too")
    batch.add_argument("--replace", action="store_true", help="overwrite files in DIR")
    batch.set_defaults(run="batch")

    watch = commands.add_parser("watch", help="read and deliver files as they come into a folder")
    watch.add_argument("folder", type=Path, metavar="DIR")
    watch.add_argument("--out", type=Path, metavar="DIR", help="where deliveries go; DIR/delivered if not told")
    watch.add_argument("--settle", type=_number(0, 3600), default=3, metavar="SECONDS", help="without change: complete")
    watch.add_argument("--once", action="store_true", help="end when no file is left")
    _making(watch)
    watch.set_defaults(run="watch", joined=None)

    scanner = commands.add_parser("scanner", help="start a stand-in for a scanner, to try scanning with")
    scanner.add_argument("--port", type=_number(0, 65535), default=DEFAULT_PORT + 1, metavar="N")
    scanner.add_argument("--sheets", type=Path, metavar="DIR", help="pictures that lie in its feeder")
    scanner.set_defaults(run="scanner")

    inspect = commands.add_parser("inspect", help="tell what the pages are like, as JSON")
    inspect.add_argument("inputs", nargs="+", type=Path, metavar="INPUT")
    inspect.set_defaults(run="inspect")
    return parser


def _making(parser: argparse.ArgumentParser) -> None:
    """What is told of reading and delivering."""
    from hyalen.core.formats.deliver import FORMATS
    from hyalen.core.formats.format import Quality, Standard, Tones
    from hyalen.core.formats.names import TOKENS

    parser.add_argument("--languages", default="eng", help="eng,fra,... or auto")
    parser.add_argument("--set", metavar="NAME", help="formats and choices that are kept as a delivery set")
    parser.add_argument("--data", type=Path, metavar="DIR", help="where the delivery sets are kept")
    parser.add_argument("--formats", help=",".join(FORMATS))
    parser.add_argument("--pages", default="", metavar="RANGE", help="of each input, for example 1-3,7")
    parser.add_argument("--quality", type=Quality, choices=list(Quality), help="of pages' pictures in a PDF")
    parser.add_argument("--tones", type=Tones, choices=list(Tones), help="of pages' pictures in a PDF")
    parser.add_argument(
        "--standard",
        type=Standard,
        choices=list(Standard),
        help="pdf_1_7: PDF/A-2a, PDF/UA-1; pdf_2_0: PDF/A-4, PDF/UA-2",
    )
    parser.add_argument("--attach-source", action="store_true", help="put each input into its PDF")
    parser.add_argument("--password-file", type=Path, metavar="FILE", help="holds the password of encrypted inputs")
    told = ", ".join(f"{{{token}}}" for token in TOKENS)
    parser.add_argument("--name", type=_pattern, metavar="PATTERN", help=f"of files: {told}; a/b makes a folder")
    parser.add_argument("--workers", type=_number(1, 1000), metavar="N")
    parser.add_argument("--keep-running-heads", action="store_true", help="leave running heads in plain text")
    parser.add_argument("--page-breaks", action="store_true", help="begin a DOCX's pages where they do on paper")
    parser.add_argument("--one-sheet", action="store_true", help="put all tables of an XLSX beneath each other")
    parser.add_argument("--join-tables", action="store_true", help="make a table that goes on over pages one")


if __name__ == "__main__":
    sys.exit(main())
