"""Camera, paths and figures of the demo."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from north_hush.demo.actors import Boat, Cyclist, Person, Pushed, Sledge, Tractor, oilskin_bundle, rope_coil
from north_hush.demo.camera import HEIGHT_PX, HORIZON_PX, WIDTH_PX, ground_plane, pixels_per_metre, project
from north_hush.demo.draw import coverage, draw_bodies, fractal_noise, screen_box, shade_ellipse, to_screen
from north_hush.demo.light import DAY, DUSK, NIGHT, SNOW, infrared_reach
from north_hush.demo.nuisances.clock import Clock
from north_hush.demo.nuisances.exposure import ExposureJump
from north_hush.demo.nuisances.shake import ShakingMast
from north_hush.demo.paths import Path, route
from north_hush.demo.shot import Shot

WAY = route(2.0, 1.0, (0.0, 10.0), (3.0, 10.0), 4.0, (3.0, 14.0))


def test_the_ground_plane_is_where_the_camera_projects_it():
    ground_x, depth = ground_plane()
    for x, y in ((100, 300), (700, 500), (480, 200)):
        point = project((ground_x[y, x], 0.0, depth[y, x]))
        assert point == pytest.approx((x + 0.5, y + 0.5), abs=0.01)


def test_far_things_are_smaller_and_nearer_the_horizon():
    assert pixels_per_metre(20) == 2 * pixels_per_metre(40)
    assert HORIZON_PX < project((0, 0, 70))[1] < project((0, 0, 20))[1]


def test_a_route_walks_waits_and_walks_on():
    assert WAY.start_s == 2.0
    assert WAY.end_s == pytest.approx(2 + 3 + 4 + 4)
    assert WAY.at(3.5) == pytest.approx((1.5, 10.0))
    assert WAY.at(7.0) == pytest.approx((3.0, 10.0))
    assert WAY.heading(3.0) == pytest.approx((1.0, 0.0, 1.0))
    assert WAY.heading(7.0) == pytest.approx((1.0, 0.0, 0.0))
    assert WAY.heading(10.0) == pytest.approx((0.0, 1.0, 1.0))


@given(st.floats(0, 20), st.floats(0, 5))
def test_the_way_covered_never_shrinks(time_s, later):
    assert WAY.travelled(time_s + later) >= WAY.travelled(time_s)
    assert WAY.travelled(100) == pytest.approx(7.0)


def actors():
    person = Person(WAY)
    return [person, Pushed(person), Cyclist(WAY), Boat(WAY), Tractor(WAY), Sledge(person)]


@pytest.mark.parametrize("actor", actors(), ids=lambda actor: type(actor).__name__)
@pytest.mark.parametrize("time_s", [2.0, 4.2, 7.0, 12.9])
def test_bodies_stand_on_the_ground_where_their_path_is(actor, time_s):
    bodies = actor.bodies(time_s)
    assert np.isfinite(bodies).all()
    assert bodies.shape[1] == 11
    assert ((bodies[:, 8:] >= 0) & (bodies[:, 8:] <= 1)).all()
    x, z = actor.path.at(time_s)
    assert np.abs(bodies[:, [0, 4]] - x).max() < 6
    assert np.abs(bodies[:, [2, 6]] - z).max() < 6
    lowest = (bodies[:, [1, 5]] - bodies[:, [3, 7]]).min()
    assert -0.4 < lowest < 0.25


def test_a_person_is_as_tall_as_stated_and_stoops_when_crouching():
    still = Path(((0.0, 0.0, 20.0), (10.0, 0.0, 20.001)))
    box = screen_box(to_screen(Person(still, height_m=1.8).bodies(5.0)))
    assert (box[3] - box[1]) / pixels_per_metre(20) == pytest.approx(1.8, abs=0.12)
    low = screen_box(to_screen(Person(still, height_m=1.8, stoop=0.9).bodies(5.0)))
    assert low[3] - low[1] < 0.85 * (box[3] - box[1])


def test_limbs_move_while_walking_and_rest_while_waiting():
    person = Person(WAY)
    walking = np.abs(person.bodies(3.0) - person.bodies(3.3))[:, [0, 4]].max()
    waiting = np.abs(person.bodies(7.0) - person.bodies(7.3))[:, [0, 4]].max()
    assert walking > 0.3
    assert waiting < 0.05


def test_props_are_there_between_their_times():
    assert rope_coil(50.0).until_s == 50.0
    bundle = oilskin_bundle(1.0, 14.0, 30.0)
    assert bundle.from_s == 30.0
    assert bundle.bodies()[:, 2].tolist() == [14.0, 14.0]


def test_polygon_coverage_is_exact_for_whole_pixels_and_clipped():
    mask = coverage([(10, 20), (30, 20), (30, 25), (10, 25)])
    assert mask[20:25, 10:30].min() == 1
    assert mask.sum() == 100
    assert coverage([(-50, -50), (5, -50), (5, 5), (-50, 5)]).sum() == 25
    assert coverage([(-50, -50), (-5, -50), (-5, -5)]).sum() == 0


def test_bodies_are_drawn_inside_their_box_and_beyond_the_edge_too():
    picture = np.full((HEIGHT_PX, WIDTH_PX, 3), 0.5, np.float32)
    person = Person(Path(((0.0, 0.0, 12.0), (9.0, 0.1, 12.0))))
    draw_bodies(picture, [person.bodies(1.0)])
    rows, columns = np.nonzero(np.abs(picture - 0.5).max(axis=2) > 0.02)
    left, top, right, bottom = screen_box(to_screen(person.bodies(1.0)))
    assert left - 1.5 <= columns.min()
    assert columns.max() <= right + 1.5
    assert top - 1.5 <= rows.min()
    assert rows.max() <= bottom + 1.5
    draw_bodies(picture, [Person(Path(((0.0, 90.0, 12.0), (9.0, 91.0, 12.0)))).bodies(1.0)])


def test_shades_darken_and_lights_brighten_only_their_ellipse():
    picture = np.full((HEIGHT_PX, WIDTH_PX, 3), 0.5, np.float32)
    shade_ellipse(picture, (300.0, 200.0), (20.0, 8.0), 0.5)
    assert picture[200, 300, 0] < 0.3
    assert (picture[:, :270] == 0.5).all()
    shade_ellipse(picture, (600.0, 200.0), (20.0, 8.0), -0.5)
    assert picture[200, 600, 0] > 0.6


def test_noise_has_the_stated_spread():
    noise = fractal_noise(np.random.default_rng(1), (128, 128), 16)
    assert abs(float(noise.mean())) < 1e-3
    assert float(noise.std()) == pytest.approx(1, abs=1e-3)


def test_nothing_is_seen_in_the_dark_corner_at_night():
    reach = infrared_reach()
    assert reach[420:, :60].max() < 0.06
    assert reach[400, 540] > 0.5
    assert [light.grey for light in (DAY, DUSK, NIGHT, SNOW)] == [False, False, True, False]


def test_the_clock_changes_once_a_second():
    from datetime import UTC, datetime

    clock = Clock(datetime(2026, 6, 14, 15, 2, 7, tzinfo=UTC), 60.0)

    def shown(time_s):
        shot = Shot(np.full((HEIGHT_PX, WIDTH_PX, 3), 0.5, np.float32))
        clock.apply(shot, time_s)
        return shot.picture

    assert np.array_equal(shown(3.0), shown(3.9))
    assert not np.array_equal(shown(3.0), shown(4.0))


def test_an_exposure_jump_recovers_and_a_mast_comes_to_rest():
    def gain(time_s):
        shot = Shot(np.zeros((1, 1, 3), np.float32))
        ExposureJump(10.0, 0.2).apply(shot, time_s)
        return shot.gain

    assert gain(9.9) == 1
    assert gain(10.0) == pytest.approx(1.2)
    assert gain(20.0) == pytest.approx(1.0, abs=0.001)

    def shift(time_s):
        shot = Shot(np.zeros((1, 1, 3), np.float32))
        ShakingMast(5.0, 15.0, 5.0).apply(shot, time_s)
        return shot.shift_px

    assert shift(4.9) == shift(15.0) == (0, 0)
    assert max(abs(shift(t)[0]) for t in np.arange(5, 15, 0.1)) >= 4
