"""Sound: known levels of known tones, on the clock of the pictures, and what is heard in them."""

from fractions import Fraction

import av
import numpy as np
import pytest

from north_hush.core.footage.sound import SILENT_DB, WINDOW_US, Sound, sound_of, weighting
from north_hush.core.sight.hearing import SoundRule, heard_in, usual_db

RATE = 48_000


def written(path, samples, *, channels=1, later_s=0.0, seconds=None):
    """A recording of grey pictures with sound; `later_s` is how much later the sound begins."""
    with av.open(str(path), "w") as out:
        video = out.add_stream("libx264", rate=10)
        video.width, video.height, video.pix_fmt = 64, 48, "yuv420p"
        audio = out.add_stream("pcm_s16le", rate=RATE, layout="mono" if channels == 1 else "7.1")
        for number in range(round(10 * (seconds or len(samples) / RATE))):
            picture = av.VideoFrame.from_ndarray(np.full((48, 64, 3), 90, np.uint8), format="rgb24")
            picture.pts, picture.time_base = number, Fraction(1, 10)
            out.mux(video.encode(picture))
        out.mux(video.encode())
        whole = np.clip(samples * 32767, -32768, 32767).astype(np.int16)
        for first in range(0, len(whole), 4800):
            part = np.repeat(whole[first : first + 4800], channels)[None]
            frame = av.AudioFrame.from_ndarray(part, format="s16", layout="mono" if channels == 1 else "7.1")
            frame.sample_rate, frame.time_base = RATE, Fraction(1, RATE)
            frame.pts = first + round(later_s * RATE)
            out.mux(audio.encode(frame))
        out.mux(audio.encode())
    return path


def tone(hz, seconds, amplitude=0.5):
    return amplitude * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)


@pytest.mark.parametrize(("hz", "gain_db"), [(1000, 0.0), (100, -19.1), (31.5, -39.4), (4000, 1.0), (10000, -2.5)])
def test_the_a_curve_has_the_values_of_its_standard(hz, gain_db):
    from scipy import signal

    _, found = signal.sosfreqz(weighting(RATE), worN=[hz], fs=RATE)
    assert 20 * np.log10(abs(found[0])) == pytest.approx(gain_db, abs=0.7 if hz < 10_000 else 1.5)


def test_a_tone_has_its_level_in_every_window(tmp_path):
    found = sound_of(written(tmp_path / "a.mkv", tone(1000, 3)))
    level = 20 * np.log10(0.5 / np.sqrt(2))
    assert len(found.plain_db) == 30
    assert found.plain_db == pytest.approx(level, abs=0.1)
    assert found.weighted_db[2:] == pytest.approx(level, abs=0.2)


def test_levels_stand_on_the_clock_of_the_pictures(tmp_path):
    samples = np.concatenate([np.zeros(RATE), tone(1000, 1), np.zeros(RATE)])
    found = sound_of(written(tmp_path / "a.mkv", samples, later_s=0.5, seconds=4))
    loud = np.flatnonzero(np.nan_to_num(found.plain_db, nan=SILENT_DB) > -20) * WINDOW_US / 1e6
    assert (loud.min(), loud.max()) == pytest.approx((1.5, 2.4), abs=0.11)
    assert np.isnan(found.plain_db[:5]).all()  # before it begins nobody knows


def test_silence_eight_channels_and_no_sound_at_all(tmp_path):
    silent = sound_of(written(tmp_path / "s.mkv", np.zeros(RATE)))
    assert silent.plain_db == pytest.approx(SILENT_DB, abs=0.5)
    many = sound_of(written(tmp_path / "m.mkv", tone(1000, 2), channels=8))
    assert many is not None and len(many.plain_db) == 20 and many.plain_db.min() > -30
    from tests.footage_maker import moving_square, write_video

    assert sound_of(write_video(tmp_path / "none.mkv", moving_square(5))) is None


def levels(*parts):
    """Levels in dB of stretches, as (seconds, dB)."""
    held = np.concatenate([np.full(round(seconds * 10), db, np.float32) for seconds, db in parts])
    return Sound(held, held)


def spans(sound, **rule):
    return [(one.start_us / 1e6, one.end_us / 1e6, one.peak_db) for one in heard_in(sound, SoundRule(**rule))]


def test_louder_jumps_drops_and_either_way_by_hand():
    sound = levels((20, -50), (0.5, -20), (20, -50), (1, -80), (20, -50))
    assert spans(sound, hears="louder", level_db=-30) == [(20.0, 20.5, -20.0)]
    assert spans(sound, hears="jump", level_db=15) == [(20.0, 20.5, -20.0)]
    assert spans(sound, hears="drop", level_db=15) == [(40.5, 41.5, -80.0)]
    assert len(spans(sound, hears="either", level_db=15)) == 2
    assert spans(sound, hears="jump", level_db=15, windows=6) == []


def test_what_becomes_usual_is_no_jump_any_more():
    ((start, end, _),) = spans(levels((20, -50), (60, -20)), hears="jump", level_db=15)
    assert start == 20.0 and 4 < end - start < 6  # half of the ten seconds that are usual


def test_an_input_that_falls_dead_and_one_that_is_only_quiet():
    assert spans(levels((20, -50), (30, -110)), hears="dead") == [(20.0, 50.0, -110.0)]
    assert spans(levels((20, -50), (9, -110), (20, -50)), hears="dead") == []
    assert spans(levels((60, -75)), hears="dead") == []


def test_where_there_is_no_sound_nothing_is_heard():
    held = np.full(300, np.nan, np.float32)
    assert all(
        heard_in(Sound(held, held), SoundRule(hears=kind)) == [] for kind in ("louder", "jump", "either", "dead")
    )
    assert len(usual_db(np.zeros(0, np.float32))) == 0


def test_what_is_usual_looks_back_alone():
    held = np.concatenate([np.full(200, -50, np.float32), np.full(200, -20, np.float32)])
    usual = usual_db(held)
    assert usual[200] == -50 and usual[199] == -50 and usual[-1] == -20
