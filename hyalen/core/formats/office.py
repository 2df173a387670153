"""Office files and HTML turned into tagged PDF: by LibreOffice, which runs no macro and fetches nothing, and WeasyPrint."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
import time
import zipfile
from pathlib import Path

from hyalen.core.formats.printed import pdf_of
from hyalen.core.formats.source import SourceError, blamed

SECONDS = 240.0
TIMED_OUT = (124, 137)  # of the command `timeout`
ENDINGS = {"ole": "doc"}  # LibreOffice tells these apart by their content
# Tagged, PDF/UA-1 (ISO 14289-1), with bookmarks of its headings; pictures as they are.
EXPORT = (
    'pdf:{filter}_pdf_Export:{{"PDFUACompliance":{{"type":"boolean","value":"true"}},'
    '"UseTaggedPDF":{{"type":"boolean","value":"true"}},"ExportBookmarks":{{"type":"boolean","value":"true"}},'
    '"UseLosslessCompression":{{"type":"boolean","value":"true"}}}}'
)
FILTERS = {"xlsx": "calc", "ods": "calc", "pptx": "impress", "odp": "impress"}
# No macro is run (Office.Common/Security), and nothing that a document refers to is loaded from elsewhere.
SETTINGS = """<?xml version="1.0" encoding="UTF-8"?>
<oor:items xmlns:oor="http://openoffice.org/2001/registry" xmlns:xs="http://www.w3.org/2001/XMLSchema">
<item oor:path="/org.openoffice.Office.Common/Security/Scripting"><prop oor:name="MacroSecurityLevel" oor:op="fuse"><value>3</value></prop></item>
<item oor:path="/org.openoffice.Office.Common/Security/Scripting"><prop oor:name="DisableMacrosExecution" oor:op="fuse"><value>true</value></prop></item>
<item oor:path="/org.openoffice.Office.Common/Security/Scripting"><prop oor:name="BlockUntrustedRefererLinks" oor:op="fuse"><value>true</value></prop></item>
<item oor:path="/org.openoffice.Office.Common/Security/Scripting"><prop oor:name="DisableActiveContent" oor:op="fuse"><value>true</value></prop></item>
</oor:items>
"""
NOWHERE = "http://127.0.0.1:9"  # the discard port: whatever asks for something elsewhere is not answered


def turn_into_pdf(path: Path, kind: str, out: Path) -> list[str]:
    """Write the PDF of an office file or of HTML; what is to be known of it.

    Raises
    ------
    SourceError
        If it cannot be opened, or nothing is there to do it.
    """
    if kind == "html":
        with blamed("the page"):
            out.write_bytes(pdf_of(path.read_bytes()))
        return ["it was laid out anew, and what it refers to elsewhere was not fetched"]
    program = shutil.which("soffice")
    if program is None:
        raise SourceError("office files need LibreOffice, which is not installed; run make setup, or make a PDF of it")
    with tempfile.TemporaryDirectory(prefix="hyalen-office-") as folder:
        _convert(program, Path(folder), path, kind)
        made = Path(folder) / "given.pdf"
        if not made.exists() or not made.stat().st_size:
            locked = kind == "ole"
            also = " or it is encrypted: take its password off" if locked else ""
            raise SourceError(f"the file is damaged,{also} or not what its name says; open and save it again")
        shutil.move(made, out)
    told = ["it was laid out anew, perhaps in other typefaces: look at its pages"]
    if _has_macros(path):
        told.append("its macros stay behind")
    return told


def _convert(program: str, folder: Path, path: Path, kind: str) -> None:
    profile = folder / "profile"
    (profile / "user").mkdir(parents=True)
    (profile / "user/registrymodifications.xcu").write_text(SETTINGS, "utf8")
    given = folder / f"given.{ENDINGS.get(kind, kind)}"
    shutil.copyfile(path, given)
    surroundings = os.environ | {"http_proxy": NOWHERE, "https_proxy": NOWHERE, "HOME": str(folder)}
    end = time.monotonic() + SECONDS
    for each in (FILTERS.get(kind, "writer"),) if kind != "ole" else ("writer", "calc", "impress"):
        # The command `timeout` ends it and what it starts, even if this process is gone by then.
        ended = subprocess.run(
            [
                "timeout", "--kill-after=5", f"{max(1.0, end - time.monotonic()):.0f}",
                program, f"-env:UserInstallation=file://{profile}", "--headless", "--norestore", "--nolockcheck",
                "--convert-to", EXPORT.format(filter=each), "--outdir", str(folder), str(given),
            ],
            check=False, capture_output=True, env=surroundings,
        )  # fmt: skip
        if ended.returncode in TIMED_OUT:
            raise SourceError("it takes longer to open than any sound file does; open and save it again")
        if (folder / "given.pdf").exists():
            return


def _has_macros(path: Path) -> bool:
    """Whether an office file of today carries programs (ECMA-376-1, 15.2; OpenDocument 1.3, part 2)."""
    if not zipfile.is_zipfile(path):
        return False
    with zipfile.ZipFile(path) as archive:
        return any(
            name.endswith("vbaProject.bin") or name.startswith(("Basic/", "Scripts/")) for name in archive.namelist()
        )
