"""The mean that the comparison of scenes takes is that of the library it spares."""

import subprocess
import sys

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from scipy.ndimage import uniform_filter

from north_hush.core.footage.scene_shift import box_mean
from tests.footage_maker import moving_square, write_video


@given(
    arrays(np.float32, st.tuples(st.integers(1, 30), st.integers(1, 30)), elements=st.floats(0, 64, width=32)),
    st.sampled_from([3, 9]),
)
def test_the_mean_is_to_the_bit_that_of_the_library(values, size):
    assert np.array_equal(box_mean(values, size), uniform_filter(values, size, mode="nearest"))


def test_a_process_that_makes_passes_imports_nothing_of_it(tmp_path):
    path = write_video(tmp_path / "a.mkv", moving_square(40))
    work = (
        "import sys; from pathlib import Path\n"
        "from north_hush.core.compiled import spare_linear_algebra\n"
        "from north_hush.core.footage.index import Footage, index_recording\n"
        "from north_hush.core.footage.options import EvidenceOptions\n"
        "from north_hush.core.footage.passes import make_evidence\n"
        "spare_linear_algebra()\n"
        f"make_evidence(index_recording(Footage(Path({str(path)!r}))), EvidenceOptions())\n"
        "heavy = ('linalg', 'ndimage', 'fft', 'signal', 'optimize', 'stats')\n"
        "print([name for name in heavy if f'scipy.{name}' in sys.modules])\n"
        "from scipy.signal import convolve\n"
        "print(convolve([1], [2]))"
    )
    done = subprocess.run([sys.executable, "-c", work], capture_output=True, text=True, check=True)
    assert done.stdout.split() == ["[]", "[2]"]  # and what needs it later finds it whole
