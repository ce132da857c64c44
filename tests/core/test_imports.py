"""What the window waits for before it is painted."""

import subprocess
import sys

import pytest


@pytest.mark.parametrize("module", ["north_hush.desk.window", "north_hush.core.fleet.tasks"])
def test_what_takes_long_to_import_waits_until_it_is_needed(module):
    asked = f"import sys, {module}; print([name for name in sys.modules if name.split('.')[0] == 'scipy'])"
    done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
