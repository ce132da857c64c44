"""What the papers promise is there."""

import re
import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
PAPERS = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]


@pytest.mark.parametrize("paper", PAPERS, ids=lambda path: path.name)
def test_links_lead_somewhere(paper):
    for target in re.findall(r"\]\(([^)#]+)\)", paper.read_text()):
        assert (paper.parent / target).exists(), target


def test_every_command_of_the_readme_is_one_of_run():
    usage = subprocess.run([ROOT / "run", "help"], capture_output=True, text=True, check=True).stdout
    known = set(re.findall(r"^\./run (\w+)", usage, re.M))
    used = set(re.findall(r"\./run (\w+)", (ROOT / "README.md").read_text()))
    assert used - known == set()


def test_an_unknown_command_of_run_names_the_known_ones():
    done = subprocess.run([ROOT / "run", "dance"], capture_output=True, text=True, check=False)
    assert done.returncode == 2
    assert "'dance' is not a command" in done.stderr
    assert "./run demo" in done.stderr


def test_screenshots_are_few_and_each_is_shown_in_the_readme():
    shots = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    readme = (ROOT / "README.md").read_text()
    assert 0 < len(shots) < 20
    assert all(f"docs/screenshots/{shot.name}" in readme for shot in shots)


@pytest.mark.parametrize("name", ["requirements-install.lock", "requirements-dev.lock"])
def test_the_locks_have_hashes_and_name_no_place(name):
    lock = (ROOT / name).read_text()
    packages = re.findall(r"^[a-z0-9_.-]+==\S+", lock, re.M)
    assert len(packages) > 20
    assert "pyside6-essentials==6.11.1" in lock
    assert lock.count("--hash=sha256:") >= len(packages)
    assert "://" not in lock
