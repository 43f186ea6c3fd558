"""Whether the sound stayed the same: digests of what the demo and every starter give, to be compared with earlier ones.

`python -m bench.sameness --write FILE` before a change that must not be heard, `python -m bench.sameness --against
FILE` after it. Digests hold for one machine: another processor may round differently.
"""

from __future__ import annotations

import argparse
import hashlib
import json
from pathlib import Path

from dunefall.catalogue import catalogue
from dunefall.compiler.sounds import import_sounds
from dunefall.compiler.warmup import prepare
from dunefall.patch.library import starters
from dunefall.render.offline import render_to_array
from dunefall.session import open_patch

SECONDS = 12.0


def digests(seconds: float = SECONDS) -> dict[str, str]:
    """SHA-256 of the rendered samples of the demo and of each starter, by name."""
    found = {}
    for name in ("demo:", *(f"starter:{starter}" for starter in starters())):
        patch, _ = open_patch(name)
        import_sounds(patch)
        found[name] = hashlib.sha256(render_to_array(patch, seconds=seconds).tobytes()).hexdigest()
    return found


def main() -> int:
    """Write digests, or compare with those of a file; the exit status is 1 where one differs."""
    parser = argparse.ArgumentParser(prog="python -m bench.sameness")
    parser.add_argument("--write", type=Path)
    parser.add_argument("--against", type=Path)
    options = parser.parse_args()
    prepare(catalogue())
    now = digests()
    if options.write:
        options.write.write_text(json.dumps(now, indent=1))
    before = json.loads(options.against.read_text()) if options.against else now
    differing = [name for name in sorted(before.keys() | now.keys()) if before.get(name) != now.get(name)]
    print(f"{len(now)} patches, {len(differing)} differ{': ' + ', '.join(differing) if differing else ''}")
    return 1 if differing else 0


if __name__ == "__main__":
    raise SystemExit(main())
