"""The README's script, literally, and what a desktop is told."""

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
PACKAGING = ROOT / "packaging"


def script():
    """The first shell block of the README's part for scripts."""
    return re.findall(r"## For scripts.*?```sh\n(.*?)```", (ROOT / "README.md").read_text(), re.S)[0]


def test_the_script_of_the_readme_runs_line_by_line(tmp_path, demo_evidence, monkeypatch):
    shutil.copytree(demo_evidence, os.environ["NORTH_HUSH_CACHE"])
    here = tmp_path / "work"
    here.mkdir()
    (here / "run").write_text(f'#!/bin/sh\nshift\nexec {sys.executable} -m north_hush "$@"\n')
    (here / "run").chmod(0o755)
    lines = script().strip().splitlines()
    assert len(lines) > 15
    done = subprocess.run(
        ["bash", "-euo", "pipefail", "-c", script()], cwd=here, capture_output=True, text=True, check=False,
        env={**os.environ, "PYTHONPATH": str(ROOT)},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    for made in (
        "alarms.json",
        "levels.csv",
        "tracks.json",
        "compare.json",
        "outcome.json",
        "site.schema.json",
        "site.zip",
    ):
        assert (here / made).stat().st_size > 100, made
    for folder in ("masks", "events", "prints", "clips", "elsewhere"):
        assert any((here / folder).iterdir()), folder


@pytest.mark.parametrize(
    ("program", "args"),
    [
        ("desktop-file-validate", ("north-hush.desktop",)),
        ("appstreamcli", ("validate", "--no-net", "org.north_hush.NorthHush.metainfo.xml")),
    ],
)
def test_what_a_desktop_is_told_is_valid(program, args):
    if shutil.which(program) is None:
        assert os.geteuid() != 0, f"{program} is missing: ./run test installs it"
        pytest.skip(f"{program} is not on this machine, and only root can install it")
    done = subprocess.run([program, *args], cwd=PACKAGING, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
