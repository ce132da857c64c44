"""The language of the window: chosen in its menu, and what stands in a German one."""

import json
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest
from babel.messages.pofile import read_po

from north_hush.core import words
from north_hush.core.handover.card import shipped_cards
from north_hush.desk import language
from north_hush.desk.guide import guide_text
from tests.desk.conftest import settle

CATALOGUE = Path(words.__file__).parents[1] / "locale" / "de" / "LC_MESSAGES" / "north_hush.po"
TELL = """
import json, sys
from pathlib import Path
from PySide6.QtWidgets import QAbstractButton, QComboBox, QLabel, QWidget
from north_hush.desk.app import application, wait_until
from north_hush.desk.session import Session
from tests.seen_window import SeenWindow
application()
window = SeenWindow(Session(Path(sys.argv[1])))
window.show()
wait_until(lambda: window.deck.evidence is not None and window.deck.settled, 60)
told = []
for stage in window.stages.keys:
    window.show_stage(stage)
    wait_until(lambda: window.scores.settled, 60)
    for widget in window.findChildren(QWidget):
        told += [widget.toolTip(), widget.accessibleName()]
        if isinstance(widget, (QLabel, QAbstractButton)):
            told.append(widget.text())
        if isinstance(widget, QComboBox):
            told += [widget.itemText(place) for place in range(widget.count())]
told += [action.text() for _, action in window.menu.all_actions()]
print(json.dumps(sorted({text for text in told if text})))
window.close()
"""


def test_a_language_is_chosen_in_the_menu_and_taken_up_at_the_next_start(window, monkeypatch):
    action = next(action for _, action in window.menu.all_actions() if action.text() == "Deutsch")
    action.trigger()
    settle(window)
    assert "Deutsch" in window.notice.text.text()
    monkeypatch.setenv(words.VARIABLE, "en")  # what was there is kept by the first call alone, and comes back
    monkeypatch.delenv(words.VARIABLE)
    try:
        language.take_up()
        assert words.spoken() == "de"
        monkeypatch.setenv(words.VARIABLE, "en")
        words.speak("en")
        language.take_up()  # what the environment says goes before
        assert words.spoken() == "en"
    finally:
        words.speak("en")


def test_a_language_that_cannot_be_kept_is_told(window, monkeypatch):
    def refused(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(language, "write_whole", refused)
    next(action for _, action in window.menu.all_actions() if action.text() == "Deutsch").trigger()
    assert "No space left" in window.notice.text.text()


@pytest.fixture
def german_texts(window):
    """Every text of a German window with the test's site."""
    path = window.session.path
    settle(window)
    window.close()
    environment = {**os.environ, words.VARIABLE: "de", "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-c", TELL, str(path)], env=environment, capture_output=True, text=True, check=True,
        cwd=Path(__file__).parents[2],
    )  # fmt: skip
    return set(json.loads(done.stdout.splitlines()[-1]))


def test_nothing_english_stands_in_a_german_window(german_texts):
    with CATALOGUE.open("rb") as file:
        english = {held.id for held in read_po(file) if isinstance(held.id, str) and held.id and held.id != held.string}
    assert "Änderungsschwelle" in german_texts and "Ohne Sichern schließen" not in german_texts
    assert len(german_texts) > 300
    assert sorted(german_texts & english) == []
    cards = {text for card in shipped_cards().values() for text in (card.name, card.says)}  # files of their own
    common = {"the", "and", "with", "which", "nothing", "seconds"}
    assert sorted(text for text in german_texts - cards if common & set(text.casefold().split())) == []


def test_the_guide_is_written_in_german_too_and_names_what_stands_in_the_window():
    english, german = guide_text("en"), guide_text("de")
    assert guide_text("fr") == english  # where it is not written

    def shape(text):
        return [re.split(r" |\]", line)[0] for line in text.splitlines() if line.startswith(("#", "!", "-", "1."))]

    def pictures(text):
        return re.findall(r"\((screenshots/.*?)\)", text)

    assert [held if held.startswith("#") else held[0] for held in shape(german)] == [
        held if held.startswith("#") else held[0] for held in shape(english)
    ]
    assert pictures(german) == pictures(english)
    with CATALOGUE.open("rb") as file:
        told = {held.id: held.string for held in read_po(file) if isinstance(held.id, str)}
    names = {name for name in re.findall(r"\*+([^*\n]+?)\*+", english) if name in told}
    assert len(names) > 25
    missing = {name: told[name] for name in names if told[name].rstrip("…").lower() not in german.lower()}
    assert missing == {}
