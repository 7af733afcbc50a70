"""What the documents promise is so: the script runs, the commands exist, the pictures are there."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

from archimetra.job.file import load_job
from archimetra.output.gcode_reader import read_gcode

ROOT = Path(__file__).resolve().parent.parent
SIGN = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="180mm" height="90mm" viewBox="0 0 180 90">'
    '<path d="M10 45a35 35 0 0 1 70 0h20v-30h60v60h-60v-30z"/></svg>'
)


def test_the_script_of_the_scripting_page_builds_and_exports_a_job(tmp_path):
    code = re.search(r"```python\n(.*?)```", (ROOT / "docs" / "scripting.md").read_text(), re.DOTALL).group(1)
    assert len(code.splitlines()) <= 30
    (tmp_path / "sign.svg").write_text(SIGN)
    done = subprocess.run(
        [sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True, timeout=120, check=False
    )
    assert done.returncode == 0, done.stderr
    files = list((tmp_path / "out").iterdir())
    assert len(files) == 1
    read = read_gcode(files[0].read_text())
    assert not read.findings
    assert read.xyz[:, 2].min() < -12.1
    job = load_job(tmp_path / "sign.archimetra").job
    assert [cut.name for cut in job.boards[0].cuts] == ["Outline"]


def test_every_local_link_and_picture_in_the_documents_is_there():
    pages = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", ROOT / "CHANGELOG.md", *(ROOT / "docs").glob("*.md")]
    for page in pages:
        for target in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
            assert "://" in target or (page.parent / target).exists(), f"{page.name} links to {target}"


def test_the_commands_named_in_the_documents_are_those_the_program_takes():
    said = (ROOT / "docs" / "scripting.md").read_text()
    for command in ("new", "inspect", "artwork", "check", "export", "render"):
        told = subprocess.run(
            [sys.executable, "-m", "archimetra", command, "--help"], capture_output=True, text=True, check=True
        ).stdout
        line = next(row for row in said.splitlines() if row.startswith(f"archimetra {command} "))
        assert set(re.findall(r"--[a-z]+", line)) <= set(re.findall(r"--[a-z]+", told)), command


def test_the_job_format_page_names_every_field_that_is_written():
    from archimetra.demo import quay_tide_clock
    from archimetra.job.file import encode_job

    written = set(re.findall(rb'"([a-z_]+)":', encode_job(quay_tide_clock().job)))
    page = (ROOT / "docs" / "job-format.md").read_text()
    missing = {name.decode() for name in written if f"`{name.decode()}`" not in page}
    assert not missing
