"""The commands' contract."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pikepdf
import psutil
import pytest

from bench.material import Case
from hyalen.cli import main
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.model.document import DocumentContent
from hyalen.demo.spoil import Spoiling, spoil
from hyalen.store.sets import DeliverySet
from hyalen.store.store import Store
from tests.conftest import Judge, Pages


def test_batch_delivers_what_it_can_and_names_what_failed(
    tmp_path: Path,
    small_scan: Path,
    capsys: pytest.CaptureFixture[str],
    judge: Judge,
) -> None:
    source, out = tmp_path / "My scan.png", tmp_path / "out"
    shutil.copy(small_scan, source)
    (tmp_path / "bad.pdf").write_text("nothing")
    code = main(
        [
            "batch",
            str(source),
            str(tmp_path / "bad.pdf"),
            "--out",
            str(out),
            "--formats",
            "pdf,txt,json",
            "--workers",
            "1",
            "--languages",
            "eng",
        ]
    )
    told = capsys.readouterr()
    assert code == 3
    assert told.out == "My scan.png\t1 page\tMy-scan.json My-scan.pdf My-scan.txt\n"
    assert "bad.pdf" in told.err and "not a PDF" in told.err
    assert DocumentContent.model_validate_json((out / "My-scan.json").read_bytes()).pages[0].regions
    judge.accepts(out / "My-scan.pdf")
    before = (out / "My-scan.txt").read_text()

    assert main(["batch", str(source), "--out", str(out), "--formats", "txt", "--languages", "eng"]) == 0
    assert capsys.readouterr().out.endswith("My-scan-2.txt\n")
    (out / "My-scan.txt").write_text("mine")
    assert main(["batch", str(source), "--out", str(out), "--formats", "txt", "--languages", "eng", "--replace"]) == 0
    assert (out / "My-scan.txt").read_text() == before
    assert sorted(p.name for p in out.iterdir()) == ["My-scan-2.txt", "My-scan.json", "My-scan.pdf", "My-scan.txt"]


def test_two_inputs_of_one_name_do_not_overwrite_each_other(tmp_path: Path, small_scan: Path) -> None:
    for name in ("a", "b"):
        (tmp_path / name).mkdir()
        shutil.copy(small_scan, tmp_path / name / "scan.png")
    inputs = [str(tmp_path / n / "scan.png") for n in ("a", "b")]
    assert (
        main(["batch", *inputs, "--out", str(tmp_path / "out"), "--formats", "txt", "--languages", "eng", "--replace"])
        == 0
    )
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == ["scan-2.txt", "scan.txt"]


def test_a_kept_set_makes_one_file_of_all(tmp_path: Path, small_scan: Path, capsys: pytest.CaptureFixture[str]) -> None:
    store = Store(tmp_path / "data")
    store.sets.save("Web", DeliverySet(formats=("pdf",), options=DeliveryOptions(name="{batch}/{source}")))
    store.close()
    shutil.copy(small_scan, tmp_path / "a.png")
    shutil.copy(small_scan, tmp_path / "b.png")
    told = ["batch", str(tmp_path / "a.png"), str(tmp_path / "b.png"), "--out", str(tmp_path / "out")]
    told += [
        "--languages",
        "eng",
        "--set",
        "web",
        "--data",
        str(tmp_path / "data"),
        "--joined",
        "Box 7",
        "--standard",
        "pdf_2_0",
        "--attach-source",
    ]
    assert main(told) == 0
    assert capsys.readouterr().out.splitlines() == ["a.png\t1 page\tBox-7/Box-7.pdf", "b.png\t1 page\tBox-7/Box-7.pdf"]
    with pikepdf.open(tmp_path / "out" / "Box-7" / "Box-7.pdf") as pdf:
        assert len(pdf.pages) == 2 and sorted(pdf.attachments) == ["a.png", "b.png"] and pdf.pdf_version == "2.0"
    assert main([*told, "--set", "archive"]) == 2


@pytest.mark.parametrize(
    "option",
    [["--languages", "eng,xyz"], ["--formats", "pdf,wpd"], ["--formats", ","], ["--password-file", "/nowhere/at/all"]],
)
def test_what_cannot_be_done_is_refused_before_anything_starts(tmp_path: Path, option: list[str]) -> None:
    assert main(["batch", "x.png", "--out", str(tmp_path / "out"), *option]) == 2
    assert not (tmp_path / "out").exists()


def test_inspect_prints_the_pages_as_json(
    pages: Pages,
    tmp_path: Path,
    small_scan: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    from PIL import Image as Pillow

    page = pages.truth(Case("small", "eng", Spoiling(), dpi=150.0)).image
    turned = spoil(page, 150, Spoiling(skew=2.5, turn=90, tint=(240, 226, 196)), seed=1)
    Pillow.fromarray(turned).save(tmp_path / "turned.png", dpi=(150, 150))
    Pillow.new("L", (1240, 1754), 255).save(tmp_path / "blank.png")
    code = main(["inspect", str(tmp_path / "turned.png"), str(tmp_path / "blank.png"), str(tmp_path / "none.pdf")])
    told = json.loads(capsys.readouterr().out)["inputs"]
    assert code == 3 and [len(i["pages"]) for i in told] == [1, 1, 0]
    found = told[0]["pages"][0]
    assert set(found) == {
        "number",
        "kind",
        "width_px",
        "height_px",
        "dpi",
        "orientation_degrees",
        "skew_degrees",
        "blank",
        "findings",
    }
    assert (found["number"], found["kind"], found["dpi"], found["orientation_degrees"]) == (1, "scanned", 150, 270)
    assert found["skew_degrees"] == pytest.approx(2.5, abs=0.1) and not found["blank"]
    assert told[1]["pages"][0]["blank"] and any("resolution" in f for f in told[1]["pages"][0]["findings"])


def test_running_heads_leave_plain_text_unless_kept(tmp_path: Path, setter) -> None:  # type: ignore[no-untyped-def]
    from PIL import Image as Pillow

    def page(i: int) -> Pillow.Image:
        body = (
            "The lamp was lit at dusk and burnt well.",
            "Oil was landed from the tender at noon.",
            "Rain fell all day upon the station.",
        )[i]
        html = f"""<body style="font:12pt Liberation Serif;margin:0"><div style="position:absolute;top:12mm;left:25mm">Journal of the Keepers</div>
          <p style="position:absolute;top:60mm;left:25mm;width:150mm">{body} Nothing else is to be entered here for this date.</p></body>"""
        return Pillow.fromarray(setter.set(html, 150).image)

    first, *others = [page(i) for i in range(3)]
    first.save(tmp_path / "journal.tif", save_all=True, append_images=others, dpi=(150, 150))
    for option, count in (([], 0), (["--keep-running-heads"], 3)):
        out = tmp_path / f"out{count}"
        assert (
            main(
                [
                    "batch",
                    str(tmp_path / "journal.tif"),
                    "--out",
                    str(out),
                    "--formats",
                    "txt",
                    "--languages",
                    "eng",
                    *option,
                ]
            )
            == 0
        )
        assert (out / "journal.txt").read_text().count("Journal of the Keepers") == count


def test_a_command_that_is_stopped_while_it_loads_says_so_and_no_more(tmp_path: Path, small_scan: Path) -> None:
    # The command itself, not `python -m`: there Python ends by the signal if it met it within an `exec`, caught or not.
    command = [Path(sys.executable).with_name("hyalen"), "batch", small_scan, "--out", tmp_path]
    process = subprocess.Popen(command, stderr=subprocess.PIPE, text=True, start_new_session=True)
    while not psutil.Process(process.pid).children():
        time.sleep(0.01)
    time.sleep(0.3)
    os.killpg(process.pid, signal.SIGINT)  # as a terminal does: whoever was started by it is told, too
    assert process.communicate(timeout=120)[1] == "stopped\n"
    assert process.returncode == 130
