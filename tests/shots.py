"""Make docs/screenshots from the demo: `./run shots`. Also `./run shots --look DIR` for pictures nobody keeps."""

from __future__ import annotations

import sys
import tempfile
from contextlib import ExitStack
from datetime import timedelta
from pathlib import Path

from north_hush.core.errors import FootageError
from north_hush.core.outcome.rules import Way
from north_hush.core.site import drawing, edits, outcomes
from north_hush.core.site.file import load_site
from north_hush.core.site.model import replaced
from north_hush.core.site.saving import save_site
from north_hush.demo.site import demo_recording, lay_out_demo
from north_hush.demo.standins.camera import CameraStandIn
from north_hush.desk.app import application, wait_until
from north_hush.desk.look.roles import DAY_FOG, NIGHT_WATCH
from north_hush.desk.session import Session
from north_hush.desk.watch.review import ReviewBoard
from tests.seen_window import SeenWindow

SHOTS = Path(__file__).parent.parent / "docs" / "screenshots"


def open_window(path: Path, *, ready: bool = True) -> SeenWindow:
    window = SeenWindow(Session(path), NIGHT_WATCH)
    window.show()
    if ready:
        wait_until(lambda: window.deck.evidence is not None and window.deck.evidence.whole and window.deck.settled)
    return window


def save(window: SeenWindow, name: str, out: Path) -> None:
    wait_until(lambda: False, 0.6)
    parts = (window.deck, window.cuttings, window.judge, window.tune.insight, window.comparison, window.draw.places)
    if not wait_until(
        lambda: all(part.settled for part in parts), 120
    ):  # no score or curve of earlier settings is left
        raise SystemExit(f"{name}: not all that was asked for has been painted")
    window.grab().save(str(out / f"{name}.png"))
    print(out / f"{name}.png")


def outcome_view(window: SeenWindow, out: Path) -> None:
    """What alarms lead to, told to somebody."""
    office = Way(name="office", kind="mail", address="mail.skerry.example:587", to="office@skerry.example")
    for kind in ("armed", "notifying"):
        window.session.do("Hours", lambda site, kind=kind: edits.set_hours(site, "view-1", "", kind, ""))
    window.session.do("Tell", lambda site: outcomes.tell_by(outcomes.put_way(site, office), "view-1", "office"))
    window.session.do(
        "Keep", lambda site: outcomes.set_keep(site, "view-1", after_s=4, drop_under_frames=6, snapshot_every_s=10)
    )
    window.session.do("Often", lambda site: outcomes.set_tell(site, "view-1", every_s=30))
    window.show_stage("outcome")
    replays = window.outcome._replays
    wait_until(lambda: window.scores.settled and replays.settled and replays.costs is not None, 60)
    wait_until(lambda: replays.settled, 60)
    save(window, "outcome", out)


def handover_view(window: SeenWindow, out: Path) -> None:
    """What a device with four polygons can take of the tuned settings."""
    window.session.use_tuning("tuned")
    window.show_stage("handover")
    panel = window.handover
    panel.card.setCurrentIndex(panel.card.findData("polygons-4"))
    panel.card.activated.emit(panel.card.currentIndex())
    wait_until(lambda: window.scores.settled, 60)
    panel.start.click()
    if not wait_until(lambda: panel.work.fit is not None and not panel.work.running, 180):
        raise SystemExit("handover: no fit came")
    save(window, "handover", out)


def watch_view(window: SeenWindow, out: Path) -> None:
    """Three stand-in cameras, one of which alarms."""
    window.show_stage("watch")
    panel = window.watch
    with ExitStack() as stack:
        for name, key in (("Slipway live", "afternoon"), ("Slipway at dusk", "dusk"), ("Slipway in snow", "snow")):
            panel.form.name.setText(name)
            panel.form.address.setText(stack.enter_context(CameraStandIn(demo_recording(key))).url)
            panel.form.add.click()
        dials = {"change_limit_grey": 7.0, "start_percent": 0.3, "travel_percent": 3.0}
        slip = ((0.15, 0.95), (0.4, 0.45), (0.6, 0.45), (0.9, 0.95))
        for view in [held.id for held in window.session.site.views if held.camera is not None]:
            window.session.do("Zone", lambda site, view=view: drawing.add_zone(site, view, slip, "Slip"))
            window.session.do("Dials", lambda site, view=view: edits.set_dials(site, view, "zone-1", **dials))
        panel.start.click()
        wait_until(lambda: len(panel.board._pictures) == 3, 60)

        def alarms() -> bool:
            return any(held.alarmed for held in panel.cameras.values())

        while wait_until(alarms, 150) and wait_until(lambda: not alarms(), 2.5):
            pass  # over before it could be shown
        if not alarms():
            raise SystemExit("watch: no alarm came")
        save(window, "watch", out)
        wait_until(lambda: False, 30)  # something to review
        panel.start.click()
        wait_until(lambda: not panel.service.running, 30)
    review_view(window, out)


def review_view(window: SeenWindow, out: Path) -> None:
    """What these cameras raised, on one time line; the newest mark that has footage is chosen."""
    window.watch.review.click()
    review = window.findChild(ReviewBoard)
    review.hours.setCurrentIndex(0)
    review.look()
    wait_until(lambda: review.settled and bool(review.strip.marks), 30)
    for number in reversed(range(len(review.strip.marks))):
        review.choose(number)
        wait_until(lambda: review.settled, 30)
        if review.pane.frame is not None:
            break
    marks = review.strip.marks
    margin = timedelta(seconds=10)
    review.strip.span = (min(mark.start for mark in marks) - margin, max(mark.end for mark in marks) + margin)
    save(window, "review", out)
    review.ended.emit()


def gale_view(window: SeenWindow, out: Path) -> None:
    """When the camera was blind."""
    window.show_stage("footage")
    panel = window.stages.panel("footage")
    if not wait_until(lambda: panel.seen.rows.count() > 0, 60):
        raise SystemExit("footage-gale: nothing was found")
    window.deck.playhead.seek_s(79)
    save(window, "footage-gale", out)


def ask_view(window: SeenWindow, out: Path) -> None:
    """Who went up the slip, in all recordings."""
    window.show_stage("ask")
    panel = window.stages.panel("ask")
    panel.question.setCurrentIndex(panel.question.findData("passed"))
    panel.sketch.place = ((0.28, 0.5), (0.72, 0.5), (0.72, 0.93), (0.28, 0.93))
    panel.sketch.way = (0.5, 0.88), (0.5, 0.56)
    panel.sketch.changed.emit()
    panel.scope.setCurrentIndex(panel.scope.findData("view"))
    panel.start.click()
    wait_until(lambda: panel.asking.settled, 120)
    panel.answers.setCurrentRow(0)
    wait_until(lambda: not panel.pictures.after.pixmap().isNull(), 30)
    save(window, "ask", out)


def overview_view(out: Path) -> None:
    """Ten views made of the demo's recordings, each with one to three of them."""
    path = lay_out_demo(Path(tempfile.mkdtemp()), fresh=True)
    site = load_site(path)
    view, names = (
        site.views[0],
        ("Slipway", "Loft door", "Fuel pump", "Ramp", "Quay", "Yard", "Ice house", "Office", "Mole"),
    )
    views = []
    for number, name in enumerate(names):
        picked = [view.recordings[(number + more) % len(view.recordings)] for more in range(1 + number % 3)]
        held = tuple(one.model_copy(update={"id": f"recording-{place}"}) for place, one in enumerate(picked, 1))
        use = "tuned" if number % 2 else "factory"
        change = {"id": f"view-{number + 1}", "name": name, "recordings": held, "tuning_in_use": use}
        views.append(view.model_copy(update=change))
    save_site(replaced(site, views=tuple(views)), path)
    window = open_window(path)
    window.show_stage("overview")
    panel = window.stages.panel("overview")
    wait_until(lambda: panel.settled, 180)
    save(window, "overview", out)
    window.close()


def main_views(out: Path) -> None:
    window = open_window(lay_out_demo(Path(tempfile.mkdtemp()), fresh=True))
    window.deck.playhead.seek_s(18.5)
    window.session.select("zone-1")
    save(window, "tune-night-watch", out)
    window.session.use_tuning("tuned")
    window.use_theme(DAY_FOG)
    window.deck.playhead.seek_s(76.0)
    save(window, "tune-day-fog", out)
    window.use_theme(NIGHT_WATCH)
    window.show_stage("footage")
    save(window, "footage", out)
    window.show_stage("draw")
    window.session.do(
        "Watch",
        lambda site: drawing.change_item(site, "view-1", "wire-1", watches="a_to_b", side_a="Water", side_b="Land"),
    )
    window.session.select("wire-1")
    window.deck.playhead.seek_s(20)
    save(window, "draw", out)
    window.session.do("Open the clock", lambda site: drawing.remove_items(site, "view-1", ["mask-1"]))
    window.picture.show_view("restless")
    wait_until(lambda: window.picture.board.proposal is not None)
    save(window, "restlessness", out)
    window.session.undo()
    window.picture.show_view("picture")
    window.deck.playhead.seek_s(76.0)
    window.session.use_tuning("factory")
    window.show_stage("tune")
    window.picture.show_view("cells")
    save(window, "cells", out)
    window.picture.show_view("picture")
    judged_views(window, out)
    window.session.use_tuning("factory")
    ask_view(window, out)
    window.deck.put_on(window.session.view.recordings[0])
    wait_until(lambda: window.deck.evidence is not None and window.deck.settled)
    window.session.do(
        "Hours", lambda site: edits.set_hours(site, "view-1", "", "armed", "Mo-Fr 18:00-06:00; Sa,Su; PH off")
    )
    window.session.do("Hours", lambda site: edits.set_hours(site, "view-1", "", "notifying", "20:00-06:00"))
    window.show_stage("hours")
    wait_until(lambda: window.stages.panel("hours").settled, 60)
    save(window, "hours", out)
    outcome_view(window, out)
    handover_view(window, out)
    watch_view(window, out)
    window.close()
    gale = open_window(lay_out_demo(Path(tempfile.mkdtemp()), fresh=True).with_name("gale.hush.json"))
    gale_view(gale, out)
    gale.close()
    overview_view(out)


def judged_views(window: SeenWindow, out: Path) -> None:
    """Because card with the ledger, wire print, and the Judge stage."""

    window.session.do("Watch", lambda site: drawing.change_item(site, "view-1", "wire-1", watches="broken"))

    def rest() -> None:
        parts = (window.tune.insight, window.comparison, window.judge, window.trace.prints)
        wait_until(lambda: window.deck.settled and all(part.settled for part in parts), 120)

    for recording in (*window.session.view.recordings[1:], window.session.view.recordings[0]):
        window.deck.put_on(recording)
        wait_until(lambda: window.deck.evidence is not None and window.deck.evidence.whole and bool(window.deck.lanes))
        rest()
    window.session.select("zone-1")
    window.comparison.pin_present()
    window.session.use_tuning("tuned")
    rest()
    window.deck.playhead.seek_s(12)
    window.tune.alarms.go_next(1)
    rest()
    save(window, "because", out)
    window.tune.insight.explain(None, None)
    window.session.select("wire-1")
    window.trace.bar.print.click()
    wait_until(lambda: window.trace.prints.picture is not None, 60)
    window.trace.lanes[0].box.setXRange(40, 80, padding=0)
    window.deck.playhead.seek_s(57)
    rest()
    save(window, "wire-print", out)
    window.trace.bar.print.click()
    window.comparison.unpin()
    window.trace.lanes[0].box.setXRange(0, 210, padding=0)
    window.session.use_tuning("factory")
    window.show_stage("judge")
    rest()
    window.judge.alarms.expand(window.judge.alarms.judged.index(1, 0))
    rest()
    wait_until(lambda: False, 1.0)
    save(window, "judge", out)
    sheet = window.judge.sheet
    sheet.show()
    sheet.which.setCurrentIndex(1)
    sheet.follow()
    rest()
    wait_until(lambda: False, 2.0)
    sheet.grab().save(str(out / "judge-sheet.png"))
    sheet.close()
    window.session.use_tuning("tuned")
    rest()
    walk = window.session.view.recordings[0].truth.incidents[1]
    window.deck.playhead.seek_s(walk.start_s - 0.5)
    window.judge.set_in()
    window.deck.playhead.seek_s(walk.end_s + 0.5)
    window.judge.set_walk()
    rest()
    window.deck.playhead.seek_s(50.0)
    window.judge.score.tabs.setCurrentWidget(window.judge.score.chart)
    save(window, "judge-walk", out)


def odd_views(out: Path) -> None:
    folder = Path(tempfile.mkdtemp())
    empty = folder / "empty.hush.json"
    save_site(edits.new_site("New site"), empty)
    window = open_window(empty, ready=False)
    save(window, "empty", out)
    window.close()
    crowded = lay_out_demo(folder / "demo", fresh=True)
    window = open_window(crowded)
    for i in range(7):
        left = 0.05 + 0.12 * i
        outline = ((left, 0.5), (left + 0.2, 0.5), (left + 0.2, 0.9), (left, 0.9))
        name = f"Zone with quite a long name number {i}"
        window.session.do("Zone", lambda site, o=outline, n=name: drawing.add_zone(site, "view-1", o, n))
    window.session.do(
        "Dial", lambda site: edits.set_dials(site, "view-1", "zone-4", start_percent=0.05, change_limit_grey=1.0)
    )
    window.resize(1100, 700)
    wait_until(lambda: window.deck.settled)
    window.notice.tell(FootageError("/quay/afternoon.mp4", "is not there.", "Put it back, or locate it under Footage."))
    save(window, "crowded-small-error", out)
    window.use_theme(DAY_FOG)
    window.show_stage("draw")
    save(window, "crowded-day-fog-draw", out)
    window.close()


if __name__ == "__main__":
    application()
    if "--look" in sys.argv:
        target = Path(sys.argv[sys.argv.index("--look") + 1])
        target.mkdir(parents=True, exist_ok=True)
        odd_views(target)
        main_views(target)
    else:
        SHOTS.mkdir(parents=True, exist_ok=True)
        main_views(SHOTS)
