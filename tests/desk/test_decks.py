"""Several decks at once: each holds a recording of its own, and none hinders another."""

import pytest

from north_hush.core.site import drawing, edits
from north_hush.core.site.saving import save_site
from north_hush.desk.app import wait_until
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session
from tests.footage_maker import moving_square, write_video


@pytest.fixture
def session(qtbot, tmp_path):
    site = edits.new_site("Skerry Quay", "Slipway")
    for number in range(2):
        write_video(tmp_path / f"part{number}.mkv", moving_square(40 + 20 * number))
        site = edits.add_recording(site, "view-1", f"part{number}.mkv")
    site = drawing.add_zone(site, "view-1", ((0, 0), (1, 0), (1, 1), (0, 1)), "All")
    path = tmp_path / "two.hush.json"
    save_site(site, path)
    held = Session(path)
    yield held
    held.close()


@pytest.fixture
def decks(session):
    """Two of them, each with a recording, passed side by side."""
    held = [Deck(session) for _ in range(2)]
    for deck, recording in zip(held, session.view.recordings, strict=True):
        deck.put_on(recording)
    assert wait_until(lambda: all(done(deck) for deck in held), 60)
    yield held
    for deck in held:
        deck.close()


def done(deck):
    return deck.evidence is not None and deck.evidence.whole and deck.settled and bool(deck.lanes)


def test_each_has_its_own_frames_evidence_and_alarms(decks):
    first, second = decks
    assert [len(deck.evidence.frames) for deck in decks] == [40, 60]
    assert [len(deck.lanes[0].level_percent) for deck in decks] == [40, 60]
    assert first.recording != second.recording and first.known[0] != second.known[0]


def test_one_is_stepped_and_shows_its_picture_while_the_other_stands(decks):
    first, second = decks
    pictures = {0: [], 1: []}
    for number, deck in enumerate(decks):
        deck.shown.connect(lambda picture, _, number=number: pictures[number].append(picture))
    second.playhead.seek(50)
    assert wait_until(lambda: bool(pictures[1]), 20)
    assert (first.frame, second.frame) == (0, 50) and pictures[0] == []
    assert not pictures[1][-1].isNull()


def test_an_edit_is_followed_by_both(session, decks):
    session.do("Zone drawn", lambda site: drawing.add_zone(site, "view-1", ((0, 0), (0.3, 0), (0.3, 1)), "Corner"))
    assert wait_until(lambda: all(deck.settled and len(deck.lanes) == 2 for deck in decks), 30)
    assert [len(deck.lanes[1].level_percent) for deck in decks] == [40, 60]


def test_one_that_is_closed_leaves_the_other_at_work(session, decks):
    first, second = decks
    first.close()
    second.put_on(session.view.recordings[0])
    assert wait_until(lambda: done(second), 60)
    assert len(second.evidence.frames) == 40
