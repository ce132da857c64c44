"""Ways to tell, against real servers."""

import datetime
import json
import shutil
import socket
import ssl
import subprocess
import sys
import threading
import time

import pytest
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import AuthResult
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from north_hush.core.outcome.rules import Way
from north_hush.core.outcome.ways import SENDERS, desktop, mail, message, send, sound
from north_hush.core.outcome.ways.message import Message, Picture, WayError
from north_hush.demo.standins.postbox import Postbox

PICTURE = Picture("view.jpg", b"\xff\xd8\xff\xe0" + bytes(range(256)) * 40 + b"\xff\xd9")
MESSAGE = Message(
    "Slipway: Slip line", "14:05  Slip line\n< & call the harbour office", (PICTURE,), {"view": "Slipway"}
)


def free_port():
    with socket.socket() as held:
        held.bind(("127.0.0.1", 0))
        return held.getsockname()[1]


@pytest.fixture(scope="module")
def certificate(tmp_path_factory):
    """A certificate of this machine that nobody vouches for, and its key."""
    folder, key = tmp_path_factory.mktemp("tls"), ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
    now = datetime.datetime.now(datetime.UTC)
    made = (
        x509.CertificateBuilder(name, name, key.public_key(), x509.random_serial_number())
        .not_valid_before(now - datetime.timedelta(days=1))
        .not_valid_after(now + datetime.timedelta(days=1))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName("localhost")]), critical=False)
        .sign(key, hashes.SHA256())
    )
    (folder / "cert.pem").write_bytes(made.public_bytes(serialization.Encoding.PEM))
    secret = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    (folder / "key.pem").write_bytes(secret)
    return folder / "cert.pem", folder / "key.pem"


class Mailbox:
    def __init__(self):
        self.mails = []

    async def handle_DATA(self, server, session, envelope):
        self.mails.append(envelope.original_content)
        return "250 kept"


@pytest.fixture
def mail_server(certificate):
    """A mail server with STARTTLS that wants a user."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(*certificate)
    box = Mailbox()
    server = Controller(
        box, hostname="localhost", port=free_port(), tls_context=context, require_starttls=True, auth_required=True,
        authenticator=lambda server, session, envelope, mechanism, data: AuthResult(
            success=(data.login, data.password) == (b"office", b"lantern"), handled=False
        ),
    )  # fmt: skip
    server.start()
    yield f"localhost:{server.port}", box
    server.stop()


def test_mail_goes_by_starttls_with_a_user_and_brings_the_picture(mail_server, certificate, monkeypatch):
    address, box = mail_server
    monkeypatch.setenv("SSL_CERT_FILE", str(certificate[0]))
    way = Way(
        name="office", kind="mail", address=address, user="office", sender="a@skerry.example", to="b@skerry.example"
    )
    assert send(way, MESSAGE, "lantern") == "250 kept"
    import email.policy

    held = email.message_from_bytes(box.mails[0], policy=email.policy.default)
    assert held["Subject"] == MESSAGE.subject
    assert held["Message-ID"] == f"<{MESSAGE.key}@north-hush>"
    assert held.get_body(("plain",)).get_content().replace("\r\n", "\n").strip() == MESSAGE.text
    page = held.get_body(("html",)).get_content()
    assert "&lt; &amp; call" in page and 'src="cid:0@north-hush"' in page
    shown = next(part for part in held.walk() if part.get_content_type() == "image/jpeg")
    assert shown.get_payload(decode=True) == PICTURE.data
    assert shown["Content-ID"] == "<0@north-hush>"
    with pytest.raises(WayError, match="535"):
        send(way, MESSAGE, "wrong")


def test_a_certificate_that_nobody_vouches_for_is_refused(mail_server):
    way = Way(name="office", kind="mail", address=mail_server[0], user="office", to="b@skerry.example")
    with pytest.raises(WayError, match="certificate does not hold"):
        send(way, MESSAGE, "lantern")


def test_servers_that_are_not_there_hang_or_offer_no_encryption_are_told_apart(monkeypatch):
    def way(port, **more):
        return Way(
            **{
                "name": "o",
                "kind": "mail",
                "address": f"127.0.0.1:{port}",
                "to": "b@x.example",
                "secure": "none",
                **more,
            }
        )

    with pytest.raises(WayError, match="refused"):
        send(way(free_port()), MESSAGE)
    with Postbox() as box, pytest.raises(WayError, match="STARTTLS"):
        send(way(box.smtp.split(":")[1], secure="starttls"), MESSAGE)
    monkeypatch.setattr(mail, "TIMEOUT_S", 0.3)
    with socket.socket() as silent:
        silent.bind(("127.0.0.1", 0))
        silent.listen()
        with pytest.raises(WayError, match="no word"):
            send(way(silent.getsockname()[1]), MESSAGE)


def test_a_web_request_is_sent_again_while_the_server_is_out_of_order():
    with Postbox(fail_first=2) as box:
        way = Way(name="hook", kind="http", address=f"{box.url}alarm", headers={"X-Token": "7"})
        assert send(way, MESSAGE).startswith("204")
        assert len(box.arrived) == 1
        held = box.arrived[0]
        assert (held.subject, held.text, held.to) == (MESSAGE.subject, MESSAGE.text, "/alarm")
        assert held.pictures == {"view.jpg": PICTURE.data}


def test_a_form_carries_the_picture_as_a_file():
    with Postbox() as box:
        send(Way(name="hook", kind="http", address=box.url, body="form", to="PUT"), MESSAGE)
        assert (box.arrived[0].subject, box.arrived[0].pictures) == (MESSAGE.subject, {"view.jpg": PICTURE.data})


def test_a_web_server_that_stays_out_of_order_or_is_not_there_is_told():
    with Postbox(fail_first=100) as box, pytest.raises(WayError, match=r"refused 4 times.*503"):
        send(Way(name="hook", kind="http", address=box.url), MESSAGE)
    with pytest.raises(WayError, match="failed at"):
        send(Way(name="hook", kind="http", address=f"http://127.0.0.1:{free_port()}/"), MESSAGE)


@pytest.mark.skipif(shutil.which("mosquitto") is None, reason="mosquitto is not installed")
def test_a_broker_acknowledges_what_is_published(tmp_path):
    from paho.mqtt.client import Client
    from paho.mqtt.enums import CallbackAPIVersion

    port = free_port()
    (tmp_path / "m.conf").write_text(f"listener {port} 127.0.0.1\nallow_anonymous true\n")
    with subprocess.Popen([shutil.which("mosquitto"), "-c", tmp_path / "m.conf"], stderr=subprocess.DEVNULL) as broker:
        try:
            for _ in range(100):
                with socket.socket() as held:
                    if held.connect_ex(("127.0.0.1", port)) == 0:
                        break
                time.sleep(0.05)
            got, there = {}, threading.Event()
            listener = Client(CallbackAPIVersion.VERSION2)
            listener.on_message = lambda client, data, held: (got.update({held.topic: held.payload}), there.set())
            listener.on_subscribe = lambda *_: there.set()
            listener.connect("127.0.0.1", port)
            listener.subscribe("quay/#", qos=1)
            listener.loop_start()
            assert there.wait(5)
            there.clear()
            way = Way(name="broker", kind="mqtt", address=f"127.0.0.1:{port}", to="quay/alarm", secure="none")
            assert "2 acknowledged" in send(way, MESSAGE)
            for _ in range(100):
                if len(got) == 2:
                    break
                time.sleep(0.05)
            assert json.loads(got["quay/alarm"])["view"] == "Slipway"
            assert got["quay/alarm/picture"] == PICTURE.data
            listener.loop_stop()
        finally:
            broker.terminate()
    with pytest.raises(WayError, match="failed at"):
        send(way, MESSAGE)


@pytest.mark.skipif(shutil.which("dbus-run-session") is None, reason="dbus-run-session is not installed")
def test_a_desktop_without_notices_is_told():
    code = (
        "from north_hush.core.outcome.ways import desktop, message\n"
        "from north_hush.core.outcome.rules import Way\n"
        "try:\n    desktop.send(Way(name='d', kind='desktop'), message.Message('a', 'b'), '')\n"
        "except message.WayError as error:\n    print(error)\n"
    )
    told = subprocess.run(
        ["dbus-run-session", "--", sys.executable, "-c", code], capture_output=True, text=True, check=True
    )
    assert "found no desktop that shows notices" in told.stdout


@pytest.mark.skipif(shutil.which("dbus-run-session") is None, reason="dbus-run-session is not installed")
def test_a_desktop_shows_the_notice_and_a_press_on_it_is_heard():
    """The stand-in desktop and the sender, both on a bus of their own."""
    code = (
        "import json, subprocess, sys, threading\n"
        "from north_hush.core.outcome.ways import desktop, message\n"
        "seen = threading.Event()\n"
        "from north_hush.core.outcome.rules import Way\n"
        "desk = [sys.executable, '-m', 'north_hush.demo.standins.desktop', '2', 'press']\n"
        "show = subprocess.Popen(desk, stdout=subprocess.PIPE, text=True)\n"
        "assert json.loads(show.stdout.readline()) == {'ready': True}\n"
        "for name, opened in (('Slip line', None), ('Quay line', seen.set)):\n"
        "    told = message.Message(name, 'somebody crossed', opened=opened)\n"
        "    print(desktop.send(Way(name='d', kind='desktop'), told, ''))\n"
        "    print(show.stdout.readline().strip())\n"
        "print(seen.wait(10))\n"
        "assert show.wait(5) == 0\n"
    )
    told = subprocess.run(
        ["dbus-run-session", "--", sys.executable, "-c", code], capture_output=True, text=True, check=True, timeout=60
    ).stdout.splitlines()
    assert [told[0], told[2]] == ["shown as notice 1", "shown as notice 2"]
    assert json.loads(told[1]) == {
        "program": "North Hush", "summary": "Slip line", "body": "somebody crossed", "actions": [],
    }  # fmt: skip
    assert json.loads(told[3])["actions"][::2] == ["default", "open"] and told[4] == "True"


def test_no_session_at_all_is_told(monkeypatch):
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", "unix:path=/nowhere")
    with pytest.raises(WayError, match="no desktop"):
        desktop.send(Way(name="d", kind="desktop"), MESSAGE, "")


def test_no_player_and_no_such_sound_are_told(monkeypatch, tmp_path):
    monkeypatch.setattr(sound.shutil, "which", lambda name: None)
    with pytest.raises(WayError, match="no player"):
        sound.send(Way(name="s", kind="sound"), MESSAGE, "")
    monkeypatch.setattr(sound.shutil, "which", lambda name: "/bin/true")
    with pytest.raises(WayError, match="no sound at"):
        sound.send(Way(name="s", kind="sound", address=str(tmp_path / "none.wav")), MESSAGE, "")


def test_a_short_line_fits_a_telephone():
    assert MESSAGE.short == "Slipway: Slip line: 14:05 Slip line < & call the harbour office"
    assert len(Message("a", "b " * 200).short) == 140
    assert set(SENDERS) == {"mail", "http", "mqtt", "desktop", "sound", "preset"}
    assert message.TIMEOUT_S <= 10
