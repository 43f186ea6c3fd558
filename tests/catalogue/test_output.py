"""The layer's output: ducking, width, sends, Doppler, measures; the master and the sends of an effect lane."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, level_db, tone

PLAIN = {"level_db": 0.0}


def test_ducking_falls_and_comes_back_in_the_set_times() -> None:
    """99 % of the way after the set time."""
    sound, key = np.ones(96000), np.zeros(96000)
    key[24000:48000] = 0.9
    rig = Rig("output", **PLAIN, duck_db=12, duck_attack_s=0.1, duck_release_s=0.5, angle_deg=-90)
    out = rig.run(96000, audio=sound, duck=key)
    level = 20 * np.log10(out["left"])
    assert level[23999] == pytest.approx(0.0, abs=1e-6)
    assert level[24000 + 4800] == pytest.approx(-12.0, abs=0.2)
    assert level[47999] == pytest.approx(-12.0, abs=0.01)
    assert level[48000 + 4800] < -4.0
    assert level[48000 + 28000] == pytest.approx(0.0, abs=0.3)
    assert out["ducking"].max() == pytest.approx(1.0, abs=1e-3)
    assert np.abs(np.diff(out["left"])).max() < 0.02


def test_a_soft_key_does_nothing_and_a_middling_one_less() -> None:
    sound = np.ones(24000)
    levels = []
    for key_db in (-60.0, -27.0, 0.0):
        rig = Rig("output", **PLAIN, duck_db=10, angle_deg=-90)
        out = rig.run(24000, audio=sound, duck=tone(500, 0.5, level=10 ** (key_db / 20)))
        levels.append(20 * np.log10(out["left"][-1]))
    assert levels[0] == pytest.approx(0.0, abs=0.01)
    assert -7.0 < levels[1] < -3.0
    assert levels[2] == pytest.approx(-10.0, abs=0.1)


@pytest.mark.parametrize("width", [0.0, 0.5, 1.0, 1.2])
def test_the_width_is_that_of_the_side(width: float) -> None:
    """Middle and side (textbook): the middle stays, the side is taken by the width."""
    generator = np.random.default_rng(3)
    a, b = generator.normal(size=(2, 4800)) * 0.1
    out = Rig("output", **PLAIN, width=width).run(4800, audio=a, audio_right=b)
    np.testing.assert_allclose(out["out"] + out["out_right"], a + b, atol=1e-12)
    np.testing.assert_allclose(out["out"] - out["out_right"], width * (a - b), atol=1e-12)


def test_sends_after_and_before_the_level() -> None:
    sound = tone(300, 0.1, level=0.5)
    out = Rig("output", level_db=-20, distance_m=8).run(4800, audio=sound)
    np.testing.assert_allclose(out["before"], sound, atol=1e-12)
    np.testing.assert_allclose(out["out"], sound * 10 ** (-20 / 20), atol=1e-9)
    muted = Rig("output", level_db=-20, mute=1).run(4800, audio=sound)
    assert not muted["before"].any()
    assert not muted["out"].any()


def test_far_away_it_falls_by_four_decibels_at_each_doubling() -> None:
    sound = tone(200, 0.5, level=0.5)
    levels = [
        level_db(Rig("output", **PLAIN, distance_m=far, angle_deg=-90).run(24000, audio=sound)["left"][4800:])
        for far in (0.5, 1.0, 2.0, 4.0, 8.0)
    ]
    np.testing.assert_allclose(np.diff(levels), [0.0, -4.0, -4.0, -4.0], atol=0.05)


def test_doppler_bends_the_pitch_on_request_only() -> None:
    """f c / (c + v) of a source that goes away (textbook)."""
    distance = 2.0 + 17.15 * np.arange(96000) / RATE
    for doppler, hz in ((1.0, 952.4), (0.0, 1000.0)):
        rig = Rig("output", **PLAIN, doppler=doppler)
        out = rig.run(96000, audio=tone(1000, 2.0), distance_m=distance)["left"]
        piece = out[40000 : 40000 + 32768] * np.hanning(32768)
        assert np.argmax(np.abs(np.fft.rfft(piece))) * RATE / 32768 == pytest.approx(hz, abs=2)


def test_the_peak_is_held_and_then_falls() -> None:
    sound = np.concatenate([tone(400, 0.2, level=0.7), np.zeros(96000)])
    peak = Rig("output", **PLAIN).run(len(sound), audio=sound)["peak"]
    assert peak[9599] == pytest.approx(0.7, abs=0.01)
    assert peak[9600 + 4800] > 0.4
    assert peak[-1] < 0.05


def test_the_heard_share_is_a_gain() -> None:
    sound = tone(400, 0.1, level=0.5)
    out = Rig("output", **PLAIN)
    out.program.set_base("m", "heard", 0.1)
    out.run(9600, audio=np.tile(sound, 2))
    np.testing.assert_allclose(out.run(4800, audio=sound)["out"], 0.1 * sound, atol=1e-9)


def test_sends_gain_is_in_decibels() -> None:
    sound = tone(400, 0.1, level=0.5)
    out = Rig("sends", gain_db=-6).run(4800, audio=sound)
    np.testing.assert_allclose(out["out"], sound * 10 ** (-6 / 20), atol=1e-9)


def test_position_gives_more_of_the_room_where_it_is_far() -> None:
    """The output for rooms falls half as fast as the sound itself."""
    sound = tone(300, 0.5, level=0.5)
    near, far = (Rig("position", distance_m=d, air=0, early=0, doppler=0).run(24000, audio=sound) for d in (2.0, 16.0))
    direct = level_db(far["out"][9600:]) - level_db(near["out"][9600:])
    room = level_db(far["far"][9600:]) - level_db(near["far"][9600:])
    assert direct == pytest.approx(-18.0, abs=0.1)
    assert room == pytest.approx(-9.0, abs=0.1)


def test_constant_power_panning() -> None:
    # Textbook: -3.01 dB in the middle, sum of squares constant
    sound = np.ones(640)
    for angle in (-90.0, -24.0, 0.0, 44.0, 90.0):
        out = Rig("output", level_db=0, angle_deg=angle).run(640, audio=sound)
        assert out["left"][-1] ** 2 + out["right"][-1] ** 2 == pytest.approx(1.0, abs=1e-8)
    middle = Rig("output", level_db=0, angle_deg=0).run(64, audio=sound)["left"][-1]
    assert 20 * np.log10(middle) == pytest.approx(-3.01, abs=0.001)
    left = Rig("output", level_db=-6, angle_deg=-90).run(64, audio=sound)
    assert left["left"][-1] == pytest.approx(10 ** (-6 / 20))
    assert abs(left["right"][-1]) < 1e-9
    assert Rig("output", level_db=-96).run(64, audio=sound)["left"][-1] == 0
