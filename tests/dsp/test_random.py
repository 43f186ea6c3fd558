"""Counter-based random numbers: published vectors, uniformity, independence of neighbours."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from dunefall.compiler.voices import module_key
from dunefall.dsp.random import philox, uniform

# Known-answer vectors of Philox 4x32-10: the kat_vectors file of the Random123 distribution of
# Salmon et al. 2011, from memory. (counter words, key words, expected words)
VECTORS = [
    ((0, 0, 0, 0), (0, 0), (0x6627E8D5, 0xE169C58D, 0xBC57AC4C, 0x9B00DBD8)),
    ((0xFFFFFFFF,) * 4, (0xFFFFFFFF,) * 2, (0x408F276D, 0x41C83B0E, 0xA20BC7C6, 0x6D5451FD)),
    (
        (0x243F6A88, 0x85A308D3, 0x13198A2E, 0x03707344),
        (0xA4093822, 0x299F31D0),
        (0xD16CFE09, 0x94FDCCEB, 0x5001E420, 0x24126EA1),
    ),
]


@pytest.mark.parametrize(("counter", "key", "expected"), VECTORS)
def test_known_answers(counter: tuple[int, ...], key: tuple[int, ...], expected: tuple[int, ...]) -> None:
    low, high = counter[0] | counter[1] << 32, counter[2] | counter[3] << 32
    found = philox(np.uint64(key[0] | key[1] << 32), np.uint64(low), np.uint64(high))
    assert tuple(int(word) for word in found) == expected


def draws(key: int, n: int = 20000) -> np.ndarray:
    return np.array([uniform(np.uint64(key), float(k), 0) for k in range(n)])


def test_uniform() -> None:
    values = draws(module_key(417, "gusts-1"))
    assert stats.kstest(values, "uniform").pvalue > 0.01
    assert abs(np.corrcoef(values[:-1], values[1:])[0, 1]) < 4 / np.sqrt(len(values))


def test_neighbouring_modules_and_seeds_are_independent() -> None:
    keys = [module_key(417, "noise-1"), module_key(417, "noise-2"), module_key(418, "noise-1")]
    values = [draws(key) for key in keys]
    for a in range(3):
        for b in range(a):
            assert abs(np.corrcoef(values[a], values[b])[0, 1]) < 4 / np.sqrt(20000)


def test_a_key_depends_on_seed_and_id_only() -> None:
    assert module_key(1, "a") == module_key(1, "a")
    assert len({module_key(seed, name) for seed in range(50) for name in ("a", "b", "1/a")}) == 150
