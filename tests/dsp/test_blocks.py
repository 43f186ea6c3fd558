"""Building blocks beside what SciPy and arithmetic say of them: filters, loops in tune, followers, rounded steps,
voices of a tone, and rooms."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numba import njit
from numpy.typing import NDArray
from scipy import signal
from scipy.interpolate import BSpline

from dunefall.dsp import bandlimited, follow, responses, svf, tuned, unison
from dunefall.dsp.lines import lagrange_weights
from dunefall.dsp.responses import OCTAVES_HZ, ROOMS, decay_s, response

Samples = NDArray[np.float64]
RATE = 48000.0
OMEGAS = st.floats(0.001, 3.0)


@njit(error_model="numpy")
def _through_svf(x: Samples, cutoff: float, damping: float) -> tuple[Samples, Samples]:
    """Low-pass and band-pass of a state-variable filter."""
    low, band = np.zeros(x.size), np.zeros(x.size)
    take, cross, sink = svf.svf_factors(cutoff, damping, 2.0 / RATE)
    s1 = s2 = 0.0
    for i in range(x.size):
        u1, u2 = svf.svf_next(s1, s2, x[i], take, cross, sink)
        band[i], low[i] = svf.mean(s1, u1), svf.mean(s2, u2)
        s1, s2 = u1, u2
    return low, band


@pytest.mark.parametrize("cutoff", [40.0, 950.0, 6000.0, 15000.0])
@pytest.mark.parametrize("damping", [0.05, 0.7, 2.0])
def test_the_filter_is_the_bilinear_transform_of_its_circuit(cutoff: float, damping: float) -> None:
    """1 / (s² + k s + 1) and s / (s² + k s + 1), warped to the cutoff (`scipy.signal.bilinear`)."""
    warped = 2.0 * RATE * math.tan(math.pi * cutoff / RATE)
    noise = np.random.default_rng(7).normal(size=4000)
    low, band = _through_svf(noise, cutoff, damping)
    below = [1.0, damping * warped, warped * warped]
    for found, above in ((low, [warped * warped]), (band, [warped, 0.0])):
        wanted = signal.lfilter(*signal.bilinear(above, below, RATE), noise)
        np.testing.assert_allclose(found, wanted, atol=2e-5 * np.abs(wanted).max())


def _at(omega: float, above: list[float], below: list[float]) -> complex:
    _, found = signal.freqz(above, below, [omega])
    return complex(found[0])


@given(share=st.floats(0.0, 0.49), omega=OMEGAS)
def test_the_mean_of_two_samples(share: float, omega: float) -> None:
    gain, delay = tuned.mean_response(share, omega)
    wanted = _at(omega, [1.0 - share, share], [1.0])
    assert gain == pytest.approx(abs(wanted), abs=1e-9)
    assert delay * omega == pytest.approx(-np.angle(wanted), abs=1e-9)


@given(kept=st.floats(0.0, 0.99), omega=OMEGAS)
def test_what_one_pole_and_a_blocker_of_dc_do(kept: float, omega: float) -> None:
    lag = tuned.one_pole_lag(kept, omega)
    assert lag * omega == pytest.approx(-np.angle(_at(omega, [1.0 - kept], [1.0, -kept])), abs=1e-9)
    gain, lead = tuned.blocker_response(kept, omega)
    wanted = _at(omega, [1.0, -1.0], [1.0, -kept])
    assert gain == pytest.approx(abs(wanted), abs=1e-9)
    assert lead * omega == pytest.approx(np.angle(wanted), abs=1e-9)


@given(wanted=st.floats(4.0, 800.0), omega=st.floats(0.01, 1.2))
def test_a_line_that_is_tuned_delays_a_sine_by_what_is_wanted(wanted: float, omega: float) -> None:
    """The delay of the four-point reading as a filter (`scipy.signal.freqz`); within a cent of a period."""
    delay, gain = tuned.tuned_delay(wanted, omega)
    back = int(delay)
    found = _at(omega, list(lagrange_weights(delay - back)), [1.0])  # from a sample newer on
    turned = np.exp(-1j * omega * (back - 1)) * found
    off = np.angle(turned * np.exp(1j * omega * wanted)) / omega
    assert abs(off) < 6e-4 * wanted + 1e-3
    assert gain == pytest.approx(abs(found), abs=1e-9)


@pytest.mark.parametrize("time_s", [0.001, 0.02, 1.5])
def test_a_follower_has_gone_99_percent_after_its_time(time_s: float) -> None:
    share = follow.approach_step(time_s, RATE)
    count = round(time_s * RATE)
    assert (1.0 - share) ** count == pytest.approx(0.01, rel=2e-3)
    out, goals, times = np.zeros(64), np.ones(64), np.full(64, time_s)
    last = follow.follow(out, goals, 0.0, times, times, RATE, 0, np.zeros(128))
    np.testing.assert_allclose(out, signal.lfilter([share], [1.0, share - 1.0], goals), atol=1e-12)
    assert last == out[-1]


def test_a_follower_rises_and_falls_by_its_own_times_and_moving_times_are_the_same() -> None:
    goals = np.sign(np.sin(np.arange(64) / 5.0))
    rise, fall = np.full(64, 0.0005), np.full(64, 0.002)
    resting, moving = np.zeros(64), np.zeros(64)
    follow.follow(resting, goals, 0.0, rise, fall, RATE, 0, np.zeros(128))
    follow.follow(moving, goals, 0.0, rise, fall, RATE, 1, np.zeros(128))
    np.testing.assert_array_equal(resting, moving)
    up, down = follow.approach_step(0.0005, RATE), follow.approach_step(0.002, RATE)
    value = 0.0
    for goal, found in zip(goals, resting, strict=True):
        value += (goal - value) * (up if goal > value else down)
        assert found == pytest.approx(value, abs=1e-12)


def test_a_rounded_corner_is_the_cubic_b_spline_integrated_twice() -> None:
    """`scipy.interpolate.BSpline`, its second antiderivative, less the ramp."""
    twice = BSpline.basis_element([-2, -1, 0, 1, 2], extrapolate=False).antiderivative(2)
    for distance in np.linspace(0.0, 1.999, 50):
        # by symmetry what is left of the ramp at +d is what has come of it at -d
        assert bandlimited.corner(distance) == pytest.approx(float(twice(-distance)), abs=1e-12)
    assert bandlimited.corner(2.0) == bandlimited.corner(9.0) == 0.0


def test_a_rounded_step_is_the_integral_of_a_windowed_sinc() -> None:
    """NumPy's Kaiser window of beta 4.2 over six samples, cutoff 0.43 of the rate; the polynomial is within 0.2 %."""
    fine = 2000
    at = np.arange(-3 * fine, 3 * fine + 1) / fine
    kernel = np.sinc(2 * 0.43 * at) * np.i0(4.2 * np.sqrt(1 - (at / 3) ** 2)) / np.i0(4.2)
    step = np.cumsum(kernel) / kernel.sum()
    for distance in np.linspace(0.0, 2.99, 60):
        wanted = 1.0 - step[3 * fine + round(distance * fine)]
        assert bandlimited.step_left(float(distance)) == pytest.approx(wanted, abs=2e-3)
    assert bandlimited.step_left(3.0) == 0.0


@pytest.mark.parametrize("hz", [30.0, 250.0, 2000.0])
def test_waves_have_the_partials_of_their_series(hz: float) -> None:
    """Fourier series: a saw 2 / (π k), a triangle 8 / (π² k²) for odd k, a pulse 4 / (π k) sin(π k width); the
    triangle's corners are rounded by a cubic B-spline, whose spectrum is sinc⁴."""
    cycles = round(hz)
    at = (np.arange(48000) * (cycles / 48000.0)) % 1.0
    step = cycles / 48000.0
    for wave, series in (
        (lambda x: bandlimited.saw(x, step), lambda k: 2.0 / (math.pi * k)),
        (
            lambda x: bandlimited.triangle(x, step),
            lambda k: 8.0 / (math.pi * k) ** 2 * (k % 2) * np.sinc(k * step) ** 4,
        ),
        (lambda x: bandlimited.pulse(x, step, 0.3), lambda k: 4.0 / (math.pi * k) * abs(math.sin(math.pi * k * 0.3))),
    ):
        spectrum = np.abs(np.fft.rfft([wave(x) for x in at])) / 24000.0
        for k in range(1, min(8, int(4000 / hz)) + 1):
            assert spectrum[k * cycles] == pytest.approx(series(k), abs=0.004), (k, hz)
        assert spectrum[0] < 1e-3


@pytest.mark.parametrize("width", [0.01, 0.05, 0.2])
def test_a_thin_pulse_from_its_partials_has_no_others(width: float) -> None:
    cycles = 1500
    at = (np.arange(48000) * (cycles / 48000.0)) % 1.0
    spectrum = np.abs(np.fft.rfft([bandlimited.thin_pulse(x, cycles / 48000.0, width) for x in at])) / 24000.0
    partials = np.arange(cycles, 24000, cycles)
    assert spectrum[cycles] == pytest.approx(4.0 / math.pi * math.sin(math.pi * width), rel=0.01)
    assert np.delete(spectrum, partials).max() < 1e-9


@given(count=st.integers(1, 8))
def test_voices_stand_evenly_about_the_middle(count: int) -> None:
    """The project's own rule; a voice's weight is 1 once it has come in."""
    places = [unison._place(v, float(count), False) for v in range(count + 1)]
    np.testing.assert_allclose(places, np.linspace(-1.0, 1.0, count + 1), atol=1e-9)
    across = [unison._place(v, float(count), True) for v in range(count + 1)]
    np.testing.assert_allclose(sorted(across), np.linspace(-1.0, 1.0, count + 1), atol=1e-9)
    assert [unison.weight(v, float(count)) for v in range(count + 2)] == [1.0] * (count + 1) + [0.0]


@given(v=st.integers(0, 8), voices=st.floats(0.0, 8.0), spread=st.floats(0.0, 1.0))
def test_a_voice_is_as_loud_wherever_it_stands(v: int, voices: float, spread: float) -> None:
    """Constant power (common practice): the squares of both gains come to 2."""
    left, right = unison.sides(v, voices, spread, 1.0)
    assert left * left + right * right == pytest.approx(2.0, abs=1e-5)
    assert unison.sides(v, voices, spread, 0.0) == (1.0, 0.0), "one channel"


@pytest.mark.parametrize("number", range(len(ROOMS)), ids=[room.name for room in ROOMS])
def test_a_room_decays_as_its_surfaces_ask_for(number: int) -> None:
    """Reverberation time by Schroeder's backward integration from −5 to −25 dB (ISO 3382-1, from memory), in the
    octaves of 500 Hz and 1 kHz, from when on the reflections are dense: within a fifth of Eyring's
    formula, but where the octave below rings so much longer that it is heard through the filter."""
    room = ROOMS[number]
    both = response(number, RATE)
    assert both.shape[0] == 2
    assert np.sum(both**2) == pytest.approx(2.0, rel=1e-9)
    assert np.isfinite(both).all()
    wanted = decay_s(room)
    for k in (2, 3):
        if wanted[k - 1] > 1.5 * wanted[k]:
            continue
        band = signal.sosfilt(responses._octave(float(OCTAVES_HZ[k]), RATE), both[0])
        left = np.cumsum(band[: round(responses._mixing_s(room) * RATE) : -1] ** 2)[::-1]
        level_db = 10.0 * np.log10(left / left[0])
        first, last = int(np.argmax(level_db < -5.0)), int(np.argmax(level_db < -25.0))
        found = 3.0 * (last - first) / RATE
        assert found == pytest.approx(wanted[k], rel=0.2), OCTAVES_HZ[k]


def test_ears_hear_a_room_differently_and_the_same_room_always_alike() -> None:
    left, right = response(2, 44100.0)
    assert abs(np.corrcoef(left, right)[0, 1]) < 0.9
    np.testing.assert_array_equal(response(2, 44100.0)[0], left)
    assert len(response(2, 96000.0)[0]) == pytest.approx(len(left) * 96000 / 44100, abs=2)
