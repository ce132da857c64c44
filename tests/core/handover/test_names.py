"""Names of files that are written out."""

import string

from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.handover.names import FileNames

SAFE = set(string.ascii_lowercase + string.digits + "-_.")


def test_two_views_of_like_names_do_not_share_a_file():
    names = FileNames()
    made = [names.free(name, "-mask.png") for name in ("Cam 1", "Cam-1", "CAM 1", "Cam/1", "con", "../..")]
    assert made == ["cam-1-mask.png", "cam-1-2-mask.png", "cam-1-3-mask.png", "cam-1-4-mask.png", "con-1-mask.png",
                    "unnamed-mask.png"]  # fmt: skip


@given(st.lists(st.text(max_size=90), max_size=12))
def test_names_are_safe_and_differ(texts):
    names = FileNames()
    made = [names.free(text, ".png") for text in texts]
    assert len({name.lower() for name in made}) == len(made)
    for name in made:
        assert name.endswith(".png")
        assert not name.startswith((".", "-"))
        assert "/" not in name
        assert "\\" not in name
