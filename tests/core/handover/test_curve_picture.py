"""A curve on paper: columns, hatching where more is missed, a thick line at the chosen value; nothing needs a colour."""

import numpy as np

from north_hush.core.advise.curves import Curve
from north_hush.core.handover.curve_picture import curve_picture, summed_curve


def curve(unwanted, missed, values=(1.0, 2.0, 4.0, 8.0)):
    return Curve("change_limit_grey", values, unwanted, unwanted, missed, tuple(map(float, unwanted)))


def test_columns_hatching_and_the_chosen_value_can_be_told_apart():
    image = np.asarray(curve_picture(curve((4, 2, 0, 0), (0, 0, 0, 1)), 4.0, "grey levels"))
    assert image.ndim == 2  # grey
    middles = [int(image.shape[1] * share) for share in (0.1, 0.35, 0.6, 0.85)]
    columns = [image[:118, x] for x in middles]
    assert (columns[0] == 170).all() and 0.4 < (columns[1] == 170).mean() < 0.6 and (columns[2] == 255).all()
    assert 0 < (columns[3] == 60).mean() < 0.5
    assert (image[:118, int(image.shape[1] * 0.625)] == 0).all()


def test_curves_of_recordings_add_up():
    both = summed_curve([curve((4, 2, 0, 0), (0, 0, 0, 1)), curve((1, 1, 1, 0), (0, 0, 1, 1))])
    assert (both.unwanted, both.missed) == ((5, 3, 1, 0), (0, 0, 1, 2))
