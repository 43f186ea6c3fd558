"""`make bench`: prints its tables and writes build/bench.json."""

from __future__ import annotations

import json
import platform
from pathlib import Path

from bench import engine, startup


def main() -> None:
    """Measure, print, write."""
    results: dict[str, object] = {"machine": platform.processor() or platform.machine()}
    results["realtime_factor"] = factor = engine.realtime_factor()
    print(f"demo, one core: {factor['worst']:.1f} to {factor['best']:.1f} times real time")
    results["compile_ms"] = compiled = {str(count): engine.compile_ms(count) for count in (10, 200, 2000)}
    print("compiling:", ", ".join(f"{count} modules {ms:.1f} ms" for count, ms in compiled.items()))
    results["module_ns"] = costs = engine.module_costs_ns()
    for kind, cost in sorted(costs.items(), key=lambda item: -item[1]):
        print(f"  {kind:15} {cost:6.1f} ns per sample")
    results["startup"] = start = startup.measure()
    print(f"window: {start['window_s']:.2f} s, bare window: {start['bare_s']:.2f} s, ratio {start['ratio']:.2f}")
    path = Path("build/bench.json")
    path.parent.mkdir(exist_ok=True)
    path.write_text(json.dumps(results, indent=1) + "\n")


if __name__ == "__main__":
    main()
