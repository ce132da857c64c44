"""What is wrong with cameras, told when it lasts."""

from north_hush.core.watch.faults import AGAIN_S, TOLD_AFTER_S, Faults

S = 1_000_000


def test_what_lasts_is_told_after_a_while_and_again_until_it_is_mended():
    faults = Faults()
    faults.fault("v", "picture lost", "stopped sending", 0)
    faults.fault("v", "no picture", "refused", 5 * S)
    assert faults.due((TOLD_AFTER_S - 1) * S) == []
    assert faults.due(TOLD_AFTER_S * S) == [("v", "no picture for 20 s: refused")]
    assert faults.due((TOLD_AFTER_S + 1) * S) == []
    assert len(faults.due((TOLD_AFTER_S + AGAIN_S) * S)) == 1
    faults.mended("v")
    assert faults.due(10**12) == [("v", "no picture: mended")]
    assert faults.due(10**13) == []


def test_what_is_mended_before_anybody_was_told_is_nobodys_business():
    faults = Faults()
    faults.fault("v", "picture lost", "", 0)
    faults.mended("v")
    assert faults.due(10**12) == []


def test_other_faults_are_told_at_once_and_once():
    faults = Faults()
    faults.fault("v", "cannot write", "disk full", 7)
    faults.fault("w", "clock jump", "", 7)
    assert faults.due(7) == [("v", "cannot write: disk full"), ("w", "clock jump")]
    assert faults.due(10**12) == []
