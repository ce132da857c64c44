"""Child processes: each is served by its module, without the command line."""

import subprocess
import sys

import pytest

from north_hush.children import SERVED_BY, child_of


@pytest.mark.parametrize("name", sorted(SERVED_BY))
def test_a_child_starts_without_the_command_line(name):
    code = f"import sys; from north_hush.children import child_of; assert child_of(['{name}']); print('click' in sys.modules)"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.stdout.strip() == "False", done.stderr


@pytest.mark.parametrize("arguments", [[], ["open"], ["_frames", "more"], ["_nobody"]])
def test_everything_else_is_a_command(arguments):
    assert child_of(arguments) is None
