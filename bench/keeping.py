"""Two hundred snapshots: how much longer the demo takes to open in the window, and how much larger its file is.

`scripts/with-display .venv/bin/python -m bench.keeping [--count 200]`. Both files are opened in turns, as the window
does; the least of several times counts, since others on the machine only add to it.
"""

from __future__ import annotations

import argparse
import time
from dataclasses import replace

from PySide6.QtWidgets import QApplication

from bench.folders import own_folders
from bench.monkey import monkey_window
from dunefall.app.shell.start import make_app
from dunefall.patch.family import State
from dunefall.patch.files import save_patch
from dunefall.patch.model import Patch
from dunefall.patch.states import rooted, state_of
from dunefall.session import open_patch

__all__ = ["main"]

ROUNDS, VALUES = 9, 12


def _keeping(patch: Patch, count: int) -> Patch:
    """A patch that keeps so many snapshots, of which each has some other values."""
    kept = rooted(patch)
    turned = [(m.id, next(iter(m.params))) for m in patch.modules() if m.params][:VALUES]
    for k in range(count):
        then = patch
        for n, (module, param) in enumerate(turned):
            value = patch.module(module).params[param]
            then = then.with_param(module, param, value * (1.0 + 1e-3 * (k + n)))
        state = state_of(kept, then, State(kept.family.free_id(), f"State {k}", made="2026-11-30 14:02"))
        kept = replace(kept, family=kept.family.with_state(state))
    return kept


def main() -> int:
    """Open both, and print what it took."""
    parser = argparse.ArgumentParser(prog="python -m bench.keeping", description=__doc__)
    parser.add_argument("--count", type=int, default=200)
    options = parser.parse_args()
    folder = own_folders("keeping")
    make_app("noon")
    window = monkey_window()
    files = (folder / "without.dunefall", folder / "with.dunefall")
    patch, _ = open_patch("demo:")
    save_patch(patch, files[0])
    save_patch(_keeping(patch, options.count), files[1])
    least = [9.0, 9.0]
    for _ in range(ROUNDS):
        for k, file in enumerate(files):
            begun = time.thread_time()
            window.session.replace_document(*open_patch(str(file)))
            window.context.selection.look_again()
            QApplication.processEvents()
            least[k] = min(least[k], time.thread_time() - begun)
    print(f"{1000 * least[0]:.1f} ms without, {1000 * least[1]:.1f} ms with {options.count} snapshots, "
          f"{least[1] / least[0]:.2f} times; {files[0].stat().st_size // 1000} and "
          f"{files[1].stat().st_size // 1000} kB")  # fmt: skip
    window.session.document.mark_saved(None)
    window.close()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
