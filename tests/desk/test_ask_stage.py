"""The Ask stage driven through its window: questions drawn on the picture, answers, and what is done with them."""

from dataclasses import replace
from datetime import UTC, datetime

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu

from north_hush.core.ask.ask_worker import question_of
from north_hush.core.ask.limits import AskLimits
from north_hush.core.ask.moves import answer as answer_at
from north_hush.core.ask.question import KINDS, Question
from north_hush.core.site import edits
from north_hush.core.site.model import replaced
from north_hush.desk.app import wait_until
from north_hush.desk.ask.asking import Found
from north_hush.desk.ask.words import answer_words
from tests.desk.conftest import settle

BOX = ((0.1, 0.2), (0.9, 0.2), (0.9, 0.9), (0.1, 0.9))


@pytest.fixture
def asking(window):
    """The window on a recording in which a square goes from left to right between 1.2 and 4.8 s."""
    settle(window)
    window.show_stage("ask")
    return window


def panel(window):
    return window.stages.panel("ask")


def drag(window, start, end):
    canvas = window.picture.canvas
    a, b = (canvas.to_widget(at).toPoint() for at in (start, end))
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=a)
    QTest.mouseMove(canvas, (a + b) / 2)
    QTest.mouseMove(canvas, b)
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=b)


def ask(window, kind):
    held = panel(window)
    held.question.setCurrentIndex(held.question.findData(kind))
    QTest.mouseClick(held.start, Qt.MouseButton.LeftButton)
    assert wait_until(lambda: held.asking.settled, 90)
    return [found.answer for found in held.asking.found]


def test_of_a_long_recording_the_first_answers_come_first(asking, monkeypatch):
    monkeypatch.setattr("north_hush.core.ask.footage._FIRST_SIGHTS", 1)
    held, counts = panel(asking), []
    held.asking.changed.connect(lambda: counts.append((len(held.asking.found), held.asking.asked)))
    ask(asking, "moved")
    assert counts[0] == (1, 0)  # an answer is there before the recording is gone through
    assert counts[-1] == (len(held.asking.found), 1)


def test_a_question_that_is_too_wide_lists_the_first_thousand(asking):
    held = panel(asking)
    view = asking.session.view
    one = Found(view.id, view.recordings[0], answer_at(1.0, 2.0, 0.9, 60.0))
    held.asking.found = [one] * 1500
    held.refresh()
    assert held.answers.count() == 1000
    assert held.said.text() == "1500 answers, the first 1000 listed."


def test_a_question_needs_nothing_but_a_click(asking):
    (answer,) = ask(asking, "moved")
    assert answer.start_s == pytest.approx(1.2, abs=0.6) and answer.end_s == pytest.approx(4.8, abs=0.6)
    held = panel(asking)
    assert held.answers.count() == 1 and held.said.text() == "1 answer."
    assert held.start.text() == "Ask"


def test_who_an_answer_means_is_shown_on_the_picture(asking):
    (answer,) = ask(asking, "moved")
    held, canvas = panel(asking), asking.picture.canvas
    plain = canvas.grab().toImage()
    held.answers.setCurrentRow(0)
    assert wait_until(lambda: held.course.boxes is not None, 30)
    boxes = held.course.boxes
    time_us = asking.deck.index.time_us
    assert time_us[int(boxes[0, 0])] / 1e6 == pytest.approx(answer.start_s, abs=0.3)
    middle = boxes[len(boxes) // 2]
    share = (int(middle[0]) - 12) / 36  # the square goes from left to right in three fifths of the recording
    assert (middle[2] + middle[4]) / 2 == pytest.approx((share * 144 + 8) / 160, abs=0.06)
    asking.deck.playhead.seek(int(middle[0]))
    settle(asking)
    assert canvas.grab().toImage() != plain
    held.answers.setCurrentRow(-1)
    assert held.course.boxes is None


def test_who_moved_is_given_a_name_that_tune_and_ask_know(asking, monkeypatch):
    (before,) = ask(asking, "moved")
    held, tune = panel(asking), asking.tune.more_choices.kinds
    assert not held.name.isEnabled()  # nobody is chosen yet
    held.answers.setCurrentRow(0)
    assert held.name.isEnabled()
    monkeypatch.setattr("north_hush.desk.ask.naming.QInputDialog.getText", lambda *_: ("the cart", True))
    held.name.menu().aboutToShow.emit()
    held.name.menu().actions()[0].trigger()
    assert wait_until(lambda: held.name.settled and asking.session.view.taught, 30)
    (taught,) = asking.session.view.taught
    assert (taught.name, len(taught.examples)) == ("the cart", 1)
    assert held.limits.whom.itemText(held.limits.whom.count() - 1) == "the cart"
    (again,) = ask(asking, "moved")
    assert (before.kind == taught.id, again.kind == taught.id) == (False, True)
    assert "the cart" in held.answers.item(0).text()
    asking.show_stage("tune")
    settle(asking)
    assert tune.ticks[taught.id].text() == "the cart"
    tune.ticks[taught.id].click()
    assert tune.text() == "the cart"
    asking.session.undo()
    asking.session.undo()
    assert asking.session.view.taught == ()
    assert taught.id not in tune.ticks


def test_a_name_is_forgotten_where_it_was_given(asking):
    ask(asking, "moved")
    held = panel(asking)
    held.answers.setCurrentRow(0)
    held.name.call("the cart")
    assert wait_until(lambda: asking.session.view.taught, 30)
    said = []
    asking.session.failed.connect(lambda error: said.append(str(error)))
    held.name.call("person")
    assert wait_until(lambda: said, 30)
    assert "is known already" in said[0]
    held.name.menu().aboutToShow.emit()
    (forget,) = held.name.menu().findChildren(QMenu)
    forget.actions()[0].trigger()
    assert asking.session.view.taught == ()


def test_where_is_dragged_on_the_picture_and_painted_there(asking):
    held, canvas = panel(asking), asking.picture.canvas
    before = canvas.grab().toImage()
    QTest.mouseClick(held.place, Qt.MouseButton.LeftButton)
    drag(asking, (0.1, 0.02), (0.9, 0.12))
    left, top = held.sketch.place[0]
    assert (left, top) == (pytest.approx(0.1, abs=0.02), pytest.approx(0.02, abs=0.02))
    assert canvas.grab().toImage() != before
    assert ask(asking, "moved") == []
    assert held.said.text() == "Nothing of that kind."
    QTest.mouseClick(held.whole, Qt.MouseButton.LeftButton)
    assert len(ask(asking, "moved")) == 1
    asking.show_stage("tune")
    assert not held.sketch.shown


def test_the_way_is_pulled_and_only_who_went_it_counts(asking):
    held = panel(asking)
    held.question.setCurrentIndex(held.question.findData("passed"))
    assert held.way.isVisible() and not held.to.isVisible() and not held.least.isVisible()
    for (start, end), count in ((((0.2, 0.5), (0.8, 0.5)), 1), (((0.8, 0.5), (0.2, 0.5)), 0)):
        QTest.mouseClick(held.way, Qt.MouseButton.LeftButton)
        drag(asking, start, end)
        assert held.sketch.way[0][0] == pytest.approx(start[0], abs=0.02)
        assert len(ask(asking, "passed")) == count


def test_went_needs_where_to(asking):
    held = panel(asking)
    held.question.setCurrentIndex(held.question.findData("went"))
    assert held.to.isVisible()
    QTest.mouseClick(held.start, Qt.MouseButton.LeftButton)
    assert held.said.text() == "Draw where to first." and not held.asking.running
    QTest.mouseClick(held.place, Qt.MouseButton.LeftButton)
    drag(asking, (0.0, 0.0), (0.35, 1.0))
    QTest.mouseClick(held.to, Qt.MouseButton.LeftButton)
    drag(asking, (0.65, 0.0), (1.0, 1.0))
    assert len(ask(asking, "went")) == 1


def test_an_answer_is_gone_to_shown_played_and_marked(asking):
    (answer,) = ask(asking, "moved")
    held, deck = panel(asking), asking.deck
    held.answers.setCurrentRow(0)
    assert deck.frame == pytest.approx(answer.start_s * 10, abs=2)
    assert wait_until(
        lambda: not held.pictures.before.pixmap().isNull() and not held.pictures.after.pixmap().isNull(), 20
    )
    held.answers.itemActivated.emit(held.answers.currentItem())
    assert deck.playhead.playing
    deck.playhead.pause()
    QTest.mouseClick(held.mark, Qt.MouseButton.LeftButton)
    (incident,) = asking.session.view.recordings[0].truth.incidents
    assert incident.start_s == pytest.approx(answer.start_s, abs=0.01)
    assert not held.zone.isEnabled()
    QTest.mouseClick(held.place, Qt.MouseButton.LeftButton)
    drag(asking, (0.2, 0.3), (0.8, 0.8))
    ask(asking, "moved")
    QTest.mouseClick(held.zone, Qt.MouseButton.LeftButton)
    assert len(asking.session.view.zones) == 1


def test_things_are_asked_for_in_a_process_of_its_own(asking):
    assert ask(asking, "taken") == []
    assert panel(asking).said.text() == "Nothing of that kind.", asking.notice.text.text()


def test_a_recording_that_cannot_be_asked_is_named_and_the_rest_is_asked(asking, tmp_path):
    broken = tmp_path / "broken.mkv"
    broken.write_bytes(b"nothing")
    asking.session.do("Add", lambda site: edits.add_recording(site, "view-1", str(broken)))
    held = panel(asking)
    held.scope.setCurrentIndex(held.scope.findData("view"))
    assert len(ask(asking, "moved")) == 1
    assert "1 of 2 recordings" in held.said.text()
    assert wait_until(lambda: "broken.mkv" in asking.notice.text.text(), 10)


def test_asking_can_be_stopped(asking):
    held = panel(asking)
    held.question.setCurrentIndex(held.question.findData("left"))
    QTest.mouseClick(held.start, Qt.MouseButton.LeftButton)
    assert held.start.text() == "Stop"
    QTest.mouseClick(held.start, Qt.MouseButton.LeftButton)
    assert held.start.text() == "Ask" and held.asking.settled


@pytest.mark.parametrize("kind", KINDS)
def test_a_question_reaches_the_process_as_it_was_asked(kind):
    import json
    from dataclasses import asdict

    told = Question(
        kind, BOX, BOX if kind == "went" else (), ((0.1, 0.2), (0.3, 0.4)) if kind == "passed" else None, 2.5
    )
    assert question_of(json.loads(json.dumps(asdict(told)))) == told


def test_a_place_is_whole_when_another_view_is_shown(asking):
    panel(asking).sketch.place = BOX
    asking.session.do("View", lambda site: edits.add_view(site, "Gate"))
    asking.session.show_view("view-2")
    assert panel(asking).sketch.place != BOX and panel(asking).answers.count() == 0


def test_limits_leave_answers_out_and_are_told_on_their_button(asking):
    held = panel(asking)
    QTest.mouseClick(held.limits.fold, Qt.MouseButton.LeftButton)
    assert held.limits.light.isVisible()
    held.limits.light.setCurrentIndex(held.limits.light.findText("At night"))
    assert ask(asking, "moved") == []
    assert held.limits.fold.text() == "Only: at night"
    held.limits.light.setCurrentIndex(0)
    QTest.keyClicks(held.limits.hours, "Fr 25:00")
    QTest.mouseClick(held.start, Qt.MouseButton.LeftButton)
    assert "is no hours" in held.said.text() and not held.asking.running
    held.limits.hours.clear()
    assert len(ask(asking, "moved")) == 1 and held.limits.fold.text() == "Only …"


def entry(held, text, menu=None):
    return next(action for action in (menu or held.kept.menu()).actions() if action.text() == text)


def test_a_question_is_kept_asked_again_and_forgotten(asking):
    held = panel(asking)
    held.question.setCurrentIndex(held.question.findData("passed"))
    held.sketch.show_question(BOX, (), ((0.2, 0.5), (0.8, 0.5)))
    entry(held, "Keep this question").trigger()
    (kept,) = asking.session.view.questions
    assert (kept.kind, kept.place, kept.way) == ("passed", BOX, ((0.2, 0.5), (0.8, 0.5)))
    held.question.setCurrentIndex(held.question.findData("moved"))
    held.limits.show_limits(AskLimits(kinds=("boat",)))
    assert held.limits.limits().kinds == ("boat",) and held.limits.fold.text() == "Only: boat"
    held.sketch.whole()
    held.kept.menu().aboutToShow.emit()
    entry(held, "Who passed here?").trigger()
    assert held.kind == "passed" and held.sketch.place == BOX
    assert wait_until(lambda: held.asking.settled, 60) and held.answers.count() == 1
    forget = entry(held, "Forget").menu()
    entry(held, "Who passed here?", forget).trigger()
    assert asking.session.view.questions == ()
    asking.session.undo()
    assert len(asking.session.view.questions) == 1


def test_all_views_are_asked_and_an_answer_brings_its_view(asking):
    held, session = panel(asking), asking.session
    session.do("View", lambda site: edits.add_view(site, "Gate"))
    session.show_view("view-2")
    held.scope.setCurrentIndex(held.scope.findText("All views"))
    held.sketch.show_question(BOX, (), None)
    assert len(ask(asking, "moved")) == 1
    held.answers.setCurrentRow(0)
    assert session.view_id == "view-1" and held.answers.count() == 1 and held.sketch.place == BOX
    assert wait_until(lambda: asking.deck.index is not None, 20)


def test_pictures_that_others_asked_for_are_not_taken(asking):
    held = panel(asking)
    assert ask(asking, "moved")
    held.answers.setCurrentRow(0)
    assert wait_until(lambda: not held.pictures.before.pixmap().isNull(), 20)
    shown, (frame, _) = held.pictures.before.pixmap().cacheKey(), next(iter(held.pictures.waited))
    other = held.pictures.before.pixmap().toImage()
    asking.deck.thumbnail.emit(frame, (0.0, 0.0, 0.3, 0.05), other)
    asking.deck.thumbnail.emit(frame, None, other)
    assert held.pictures.before.pixmap().cacheKey() == shown


def test_an_answer_says_when_by_the_clock_where_it_is_known():
    site = edits.add_recording(edits.new_site("Quay", "Slipway"), "view-1", "slip.mkv")
    answer = answer_at(30.0, 42.0, 0.87, 60.0, 1, "person")
    held = Found("view-1", site.views[0].recordings[0], answer)
    line, tip = answer_words(site, held, of_views=True)
    assert (line, tip.startswith("Slipway, slip  0:30.0 to 0:42.0")) == (
        "Slipway, slip  0:30.0 to 0:42.0, 12 s, person, 87%",
        True,
    )
    known = replace(held, began=datetime(2026, 11, 27, 17, 59, 45, tzinfo=UTC))
    line, _ = answer_words(replaced(site, time_zone="Europe/Oslo"), known, of_views=False)
    assert line == "Fri 27 Nov 19:00:15, 12 s, person, 87%"
