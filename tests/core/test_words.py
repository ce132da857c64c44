"""Texts in another language: looked up, filled, complete."""

import ast
import gettext
import importlib.util
import re
from datetime import datetime
from pathlib import Path

import pytest
from babel.messages.pofile import read_po

from north_hush.core import words

ROOT = Path(__file__).parents[2]
CATALOGUES = sorted((ROOT / "north_hush" / "locale").glob("*/LC_MESSAGES/*.po"))


@pytest.fixture
def german():
    words.speak("de")
    yield
    words.speak("en")


@pytest.fixture(autouse=True)
def _english_elsewhere(monkeypatch):
    monkeypatch.setenv(words.VARIABLE, "en")


def forms(text):
    return (text,) if isinstance(text, str) else tuple(text)


def catalogue(path):
    with path.open("rb") as file:
        return [message for message in read_po(file) if message.id]


def test_in_english_a_text_is_what_stands_there():
    assert words.tr("Take off {name}", name="Slip") == "Take off Slip"
    assert words.tr("{a:,.1f} dB", a=-1234.5) == "-1,234.5 dB"
    assert words.trn("{n} hut", "{n} huts", 1, n=1) == "1 hut" and words.trn("{n} hut", "{n} huts", 0, n=0) == "0 huts"
    assert words.number(1234.5, ",.1f") == "1,234.5"


def test_in_german_texts_numbers_and_dates_are_german(german):
    assert words.tr("Change limit") == "Änderungsschwelle"
    assert words.tr("{gb:.2f} GB and {clips:.0f} clips a day", gb=1.5, clips=2.0) == "1,50 GB und 2 Clips am Tag"
    assert words.tr("nobody translated {this:,}", this=12345) == "nobody translated 12.345"
    assert words.trn("{count} camera", "{count} cameras", 1, count=1) == "1 Kamera"
    assert words.trn("{count} camera", "{count} cameras", 2, count=2) == "2 Kameras"
    assert words.tr("{at:%a %d %b %H:%M:%S}", at=datetime(2026, 3, 4, 5, 6, 7)) == "Mi 04. Mär 05:06:07"
    assert words.number(0.25, ".2f") == "0,25" and words.tr("") == ""


def test_a_language_that_is_none_is_english():
    words.speak("xx")
    assert words.spoken() == "en" and words.tr("Change limit") == "Change limit"


def test_a_value_is_kept_as_it_is_and_only_begins_large():
    assert words.marked("picture lost") == "picture lost"
    assert words.begun("blind 3 Mal") == "Blind 3 Mal"


@pytest.mark.parametrize("path", CATALOGUES, ids=lambda path: path.parts[-3])
def test_every_text_is_translated_and_has_the_same_fields(path):
    made = importlib.util.spec_from_file_location("collect_words", ROOT / "packaging" / "words.py")
    collect = importlib.util.module_from_spec(made)
    made.loader.exec_module(collect)
    wanted = {message.id for message in collect.collected() if message.id}
    held = {message.id: message.string for message in catalogue(path)}
    assert wanted == set(held), "run ./run words"
    lacking = [text for text, said in held.items() if not all(forms(said))]
    assert not lacking

    def fields(text):
        return sorted(re.findall(r"\{(\w+)", text))

    other = [
        (a, b)
        for text, said in held.items()
        for a, b in zip(forms(text), forms(said), strict=True)
        if fields(a) != fields(b)
    ]
    assert not other


@pytest.mark.parametrize("path", CATALOGUES, ids=lambda path: path.parts[-3])
def test_texts_inside_of_other_texts_are_in_the_catalogue(path):
    """What gathers texts passes over a call within a call within a text."""
    known = {text for message in catalogue(path) for text in forms(message.id)}
    for file in (ROOT / "north_hush").rglob("*.py"):
        for call in ast.walk(ast.parse(file.read_text("utf-8"))):
            if isinstance(call, ast.Call) and getattr(call.func, "id", "") in ("tr", "trn"):
                text = call.args[0]
                assert not isinstance(text, ast.Constant) or text.value in known, f"{file.name}:{call.lineno}"


@pytest.mark.parametrize("path", CATALOGUES, ids=lambda path: path.parts[-3])
def test_what_is_compiled_is_what_stands_in_the_catalogue(path):
    with path.with_suffix(".mo").open("rb") as file:
        compiled = gettext.GNUTranslations(file)
    for message in catalogue(path):
        if isinstance(message.id, str):
            assert compiled.gettext(message.id) == message.string
        else:
            assert [compiled.ngettext(*message.id, count) for count in (1, 2)] == list(message.string)
