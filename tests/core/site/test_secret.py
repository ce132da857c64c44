"""The passphrase of a site, and what it keeps from being taken away."""

import json

from north_hush.core.scene.outline import rectangle
from north_hush.core.site import drawing, edits
from north_hush.core.site.file import load_site
from north_hush.core.site.model import Site
from north_hush.core.site.saving import save_site
from north_hush.core.site.secret import Secret, secret_of, uncovers

DOOR = rectangle((0.1, 0.1), (0.4, 0.4))


def site():
    return drawing.add_privacy(edits.new_site("Skerry Quay"), "view-1", DOOR, "Door")


def test_a_passphrase_opens_and_another_does_not_and_the_file_does_not_tell_it(tmp_path):
    secret, again = secret_of("herring gull"), secret_of("herring gull")
    assert secret.opens("herring gull")
    assert not secret.opens("herring gul")
    assert (secret.salt, secret.scrypt) != (again.salt, again.scrypt)  # a salt of its own
    save_site(edits.set_secret(site(), secret), tmp_path / "s.hush.json")
    assert "herring" not in (tmp_path / "s.hush.json").read_text()
    assert load_site(tmp_path / "s.hush.json").secret == secret


def test_the_hash_is_that_of_the_standard():
    """RFC 7914, section 12, third vector, at the cost this program uses: "pleaseletmein" / "SodiumChloride" has n = 16384, r = 8."""
    import hashlib

    known = hashlib.scrypt(b"pleaseletmein", salt=b"SodiumChloride", n=16384, r=8, p=1, dklen=64, maxmem=2**26).hex()
    assert known.startswith("7023bdcb3afd7348461c06cd81fd38ebfda8fbba904f8e3ea9b543f6545da1f2")
    held = Secret(salt=b"SodiumChloride!!".hex(), scrypt="0" * 64, cost=16384)
    assert not held.opens("pleaseletmein")


def test_masks_and_passphrase_stay_while_nobody_uncovers():
    kept = edits.set_secret(site(), secret_of("herring gull"))
    door = kept.views[0].privacy[0]
    assert uncovers(site(), drawing.remove_items(site(), "view-1", [door.id])) == ""  # no passphrase: anybody may
    assert uncovers(kept, drawing.remove_items(kept, "view-1", [door.id])) == "privacy mask 'Door'"
    smaller = rectangle((0.1, 0.1), (0.2, 0.2))
    assert uncovers(kept, drawing.change_item(kept, "view-1", door.id, outline=smaller)) == "privacy mask 'Door'"
    assert uncovers(kept, drawing.change_item(kept, "view-1", door.id, name="Back door", hidden=True)) == ""
    assert uncovers(kept, drawing.add_privacy(kept, "view-1", smaller, "Window")) == ""
    assert uncovers(kept, site()) == "the passphrase"
    assert uncovers(kept, edits.set_secret(kept, secret_of("another one"))) == "the passphrase"


def test_a_site_of_before_opens_without_one(tmp_path):
    path = tmp_path / "s.hush.json"
    save_site(site(), path)
    held = json.loads(path.read_text())
    held["version"] = 5
    held.pop("secret", None)
    path.write_text(json.dumps(held))
    assert load_site(path).secret is None
    assert isinstance(load_site(path), Site)
