"""Names of files from a pattern."""

import pytest

from north_hush.core.outcome.naming import Names, check_pattern


@pytest.mark.parametrize(
    ("pattern", "word"),
    [
        ("../{start}", "leads out"), ("/tmp/{start}", "leads out"), ("a/../{start}", "leads out"), ("{start}\\x", "leads out"),
        ("{place}-{start}", r"\{place\}"), ("{view}", "all files the same"), ("{start", "no pattern"), ("{start!r}", "a format"),
        ("{number:>900000000}", "a format"), ("{start}/", "ends with a folder"), ("{}", "nobody knows"),
    ],
)  # fmt: skip
def test_patterns_that_lead_astray_are_refused(pattern, word):
    with pytest.raises(ValueError, match=word):
        check_pattern(pattern)


def test_fields_are_filled_in_safely_and_no_two_names_are_alike():
    names = Names("{view}/{date}-{item}-{time}")
    fields = {"view": "Far / quay", "date": "2026-03-01", "item": "../../etc", "time": "0102"}
    assert names.free(fields, ".mkv") == "Far-quay/2026-03-01-etc-0102.mkv"
    assert names.free({**fields, "view": "FAR quay"}, ".mkv") == "FAR-quay/2026-03-01-etc-0102-2.mkv"
    assert names.free({}, ".mkv") == "none/none-none-none.mkv"


def test_numbers_count_through():
    names = Names("{number}")
    assert [names.free({}, ".jpg") for _ in range(2)] == ["0001.jpg", "0002.jpg"]
