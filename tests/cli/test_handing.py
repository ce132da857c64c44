"""The commands that hand settings over."""

import json

from tests.cli.running import run


def test_rules_go_out_as_onvif_and_into_another_site(tmp_path, recording):
    site, other = tmp_path / "slip.hush.json", tmp_path / "other.hush.json"
    run("new", site, recording, "--zone", "Slip=0,0.5;1,0.5;1,1;0,1", "--crossing", "Gate=0.1,0.6;0.9,0.6")
    run("new", other, recording)
    told = json.loads(run("onvif", site, "--out", tmp_path / "rules.xml", "--json"))
    assert told["files"] == [str(tmp_path / "rules.xml")]
    run("onvif", tmp_path / "rules.xml", "--into", other)
    view = json.loads(other.read_text())["views"][0]
    assert [zone["name"] for zone in view["zones"]] == ["Slip"]
    assert (view["wires"][0]["name"], view["wires"][0]["watches"]) == ("Gate", "both")
    before = other.read_text()
    (tmp_path / "bad.xml").write_text("<a><CellLayout Columns='x' Rows='1'/></a>")
    assert "CellLayout" in run("onvif", tmp_path / "bad.xml", "--into", other, code=1)
    assert other.read_text() == before
    assert "Give one of them" in run("onvif", site, code=1)
    assert "is none of" in run("onvif", site, "--out", tmp_path / "x.xml", "--view", "Nowhere", code=1)
