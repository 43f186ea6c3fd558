"""Fuzzing that is guided by coverage: libFuzzer, through the package atheris, chooses what to try next.

`python -m bench.guided --kind patch [--seconds 600] [--seed 1]`, where `pip install atheris` works (Linux, CPython). It
does not change the bytes of files but the chance by which `bench.mutate` breaks them: each of its inputs is a row of
dice, so that what it makes keeps its structure. What reads files is instrumented; compiled code and its sources are
not.
"""

from __future__ import annotations

import argparse
import random
import sys
import tempfile
from pathlib import Path

__all__ = ["Dice", "guided"]

SOURCES = Path(__file__).parent.parent / "src"
INSTRUMENTED = ("dunefall.base", "dunefall.patch", "dunefall.session", "dunefall.deliver.jobfiles",
                "dunefall.catalogue.validate", "dunefall.catalogue.doubts", "dunefall.catalogue.story",
                "dunefall.compiler.build", "dunefall.compiler.graph", "dunefall.engine.devices")  # fmt: skip
LONGEST = 512
"""Bytes of chance for one file."""


class Dice(random.Random):
    """Chance that is read from bytes; 0 after their end.

    Parameters
    ----------
    data : bytes
        What was thrown.
    """

    def __new__(cls, data: bytes) -> Dice:
        """As `random.Random`, which would take the bytes for a seed."""
        return super().__new__(cls)

    def __init__(self, data: bytes) -> None:
        super().__init__(0)
        self._left = data

    def getrandbits(self, k: int, /) -> int:
        """The next ``k`` bits."""
        many = (k + 7) // 8
        taken, self._left = self._left[:many], self._left[many:]
        return int.from_bytes(taken.ljust(many, b"\x00"), "little") & ((1 << k) - 1)

    def random(self) -> float:
        """The next number from 0 to 1, 1 excluded."""
        return self.getrandbits(16) / 65536.0


def guided(kind: str, seconds: int, seed: int) -> int:
    """Look for finds of one kind; ends this process.

    Parameters
    ----------
    kind : str
        One of ``bench.fuzz.KINDS``.
    seconds, seed : int
        How long, and where chance begins.

    Returns
    -------
    int
        Never: libFuzzer ends the process.
    """
    import atheris

    names = (".".join(path.relative_to(SOURCES).with_suffix("").parts) for path in SOURCES.rglob("*.py"))
    others = [name.removesuffix(".__init__") for name in names if not name.startswith(INSTRUMENTED)]
    with atheris.instrument_imports(include=["dunefall"], exclude=others, enable_loader_override=False):
        from bench.fuzz import KINDS, Find, kept, tried
    make = KINDS[kind][0]()
    folder = Path(tempfile.mkdtemp())

    def once(data: bytes) -> None:
        broken = make(Dice(data))
        if told := tried(kind, broken, folder):
            print(f"{kind}: {told}{kept(Find(kind, broken, told))}", flush=True)

    options = [f"-max_total_time={seconds}", f"-seed={seed}", f"-max_len={LONGEST}", "-print_final_stats=1"]
    atheris.Setup(["fuzz", *options], once)
    atheris.Fuzz()
    return 0


def main() -> int:
    """Look for finds."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kind", required=True)
    parser.add_argument("--seconds", type=int, default=600)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    try:
        return guided(options.kind, options.seconds, options.seed)
    except ImportError as error:
        print(f"{error}: pip install atheris")
        return 2


if __name__ == "__main__":
    sys.exit(main())
