"""What a zone fires on, and the dials it is born with for that."""

from north_hush.core.detect.settings import FACTORY
from north_hush.core.scene.area import area_of
from north_hush.core.scene.kind import KINDS, WHO_COME
from north_hush.core.scene.outline import rectangle
from north_hush.core.site import drawing, edits
from north_hush.core.site.firing import born_settings, fire_on


def site_with_zone():
    site = drawing.add_zone(edits.new_site("Quay"), "view-1", area_of(rectangle((0.1, 0.1), (0.5, 0.5))), "Slip")
    view = site.views[0]
    return site, view.id, view.zones[-1].id


def dials(site, view_id, zone_id):
    return site.view(view_id).tuning.of(zone_id)


def test_who_comes_is_reported_and_what_drifts_or_shines_is_not():
    assert set(KINDS) - set(WHO_COME) == {"drifting", "light", "unclear"}
    assert born_settings("motion") == FACTORY
    for fires in ("entry", "loitering"):
        assert born_settings(fires).kinds == WHO_COME
    assert born_settings("loitering").channel == "drift"


def test_a_zone_is_born_anew_for_what_it_fires_on_and_back():
    site, view_id, zone_id = site_with_zone()
    entry = fire_on(site, view_id, zone_id, "entry")
    assert entry.view(view_id).item(zone_id).fires == "entry"
    assert dials(entry, view_id, zone_id) == born_settings("entry")
    loiters = fire_on(entry, view_id, zone_id, "loitering")
    assert dials(loiters, view_id, zone_id) == born_settings("loitering")
    back = fire_on(loiters, view_id, zone_id, "motion")
    assert dials(back, view_id, zone_id) == FACTORY
    assert fire_on(back, view_id, zone_id, "motion") == back


def test_what_somebody_turned_stays():
    site, view_id, zone_id = site_with_zone()
    site = edits.set_dials(site, view_id, zone_id, kinds=("vehicle",), start_percent=2.0)
    held = dials(fire_on(site, view_id, zone_id, "loitering"), view_id, zone_id)
    assert held.kinds == ("vehicle",)
    assert held.start_percent == 2.0
    assert held.channel == "drift"


def test_every_tuning_has_it():
    site, view_id, zone_id = site_with_zone()
    site = edits.add_tuning(site, view_id, "Night")
    site = fire_on(site, view_id, zone_id, "entry")
    assert {tuning.of(zone_id).kinds for tuning in site.view(view_id).tunings} == {WHO_COME}
