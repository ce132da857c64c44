"""Opening a bundle: it is unpacked beside itself, and its site opened."""

import pytest

from north_hush.core.errors import SiteError
from north_hush.core.site.bundle import write_bundle
from north_hush.desk.opening import open_session


def test_a_bundle_is_unpacked_beside_itself_and_opened(qtbot, site_path, tmp_path):
    (tmp_path / "elsewhere").mkdir()
    write_bundle([site_path], tmp_path / "elsewhere" / "slip.zip", recordings=True)
    name = site_path.name
    session = open_session((tmp_path / "elsewhere" / "slip.zip",), None)
    assert session.path == tmp_path / "elsewhere" / "slip" / name
    assert (session.path.parent / session.view.recordings[0].path).exists()
    session.close()
    with pytest.raises(SiteError, match="is there already"):
        open_session((tmp_path / "elsewhere" / "slip.zip",), None)
