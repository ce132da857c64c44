"""The socket of a service: answers, subscribers, who asks, and what is left of a killed one."""

import getpass
import json
import socket
import stat
import threading

import pytest

from north_hush.core.errors import SiteError
from north_hush.core.watch.control import Control, ask, follow, listens, order_of, socket_path


@pytest.fixture
def runtime(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    return tmp_path


@pytest.fixture
def control(runtime):
    """A service that answers with what it was asked, until the test ends."""
    held, ended = Control(runtime / "quay.hush.json"), threading.Event()

    def answer(order, who):
        if order.view == "Nowhere":
            raise SiteError("view 'Nowhere'", "is not watched.", "")
        return {"who": who, "did": order.do, "minutes": order.minutes}

    def work():
        while not ended.wait(0.02):
            held.work(answer)

    thread = threading.Thread(target=work)
    thread.start()
    yield held
    ended.set()
    thread.join()
    held.close()


def test_an_order_is_answered_with_whose_it_is(control, runtime):
    site = runtime / "quay.hush.json"
    assert ask(site, order_of({"do": "arm", "minutes": 5})) == {
        "who": getpass.getuser(),
        "did": "arm",
        "minutes": 5.0,
    }
    with pytest.raises(SiteError, match="is not watched"):
        ask(site, order_of({"do": "reply", "view": "Nowhere"}))
    assert stat.S_IMODE(control.path.stat().st_mode) == 0o600


@pytest.mark.parametrize(
    ("line", "says"),
    [
        (b"nonsense\n", "Expecting value"),
        (b'{"do": "fly"}\n', "cannot be 'fly'"),
        (b'{"do": "arm", "minutes": -1}\n', "minutes"),
        (b'{"v": 9, "do": "state"}\n', "v: cannot be 9"),
    ],
)
def test_what_is_no_order_is_told_and_the_next_one_is_heard(control, line, says):
    with socket.socket(socket.AF_UNIX) as held:
        held.connect(str(control.path))
        lines = held.makefile("rwb")
        lines.write(line + b'{"do": "state"}\n')
        lines.flush()
        first, second = json.loads(lines.readline()), json.loads(lines.readline())
    assert not first["ok"] and says in first["error"]
    assert second["ok"] and second["did"] == "state"


def test_subscribers_hear_what_happens_until_the_end(control, runtime):
    heard, begun = [], threading.Event()

    def listen():
        for event in follow(runtime / "quay.hush.json"):
            heard.append(event)
            begun.set()

    thread = threading.Thread(target=listen)
    thread.start()
    while not begun.is_set():
        control.tell({"what": "alarm_start"})
        begun.wait(0.05)
    control.close()
    thread.join(10)
    assert not thread.is_alive() and {"what": "alarm_start"} in heard


def test_one_service_a_site_and_a_killed_one_leaves_no_trouble(control, runtime):
    with pytest.raises(SiteError, match="is watched already"):
        Control(runtime / "quay.hush.json")
    left = socket_path(runtime / "other.hush.json")
    with socket.socket(socket.AF_UNIX) as dead:
        dead.bind(str(left))
    assert not listens(left)
    Control(runtime / "other.hush.json").close()
    with pytest.raises(SiteError, match="watched by no service"):
        ask(runtime / "other.hush.json", order_of({"do": "state"}))
