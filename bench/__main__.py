"""`make bench`: prints its tables and writes build/bench.json."""

from __future__ import annotations

import json
import os
import platform
import statistics
from datetime import date
from pathlib import Path

from llvmlite import binding

from bench import against_c, engine, startup, steady, window
from bench.graphs import GRAPHS
from dunefall.catalogue import catalogue
from dunefall.compiler.warmup import prepare

BUILD = Path("build")


def main() -> None:
    """Measure, print, write."""
    BUILD.mkdir(exist_ok=True)
    prepare(catalogue())
    machine = f"{platform.machine()}, {binding.get_host_cpu_name()}, {os.cpu_count()} cores"
    results: dict[str, object] = {"date": date.today().isoformat(), "machine": machine}
    print(f"{results['date']}, {machine}")
    print("against C (gcc -O3 -march=native -ffast-math), engine's time by C's; 1.00 is as fast")
    results["against_c"] = ratios = against_c.ratios(BUILD)
    for letter, row in ratios.items():
        fast = f"{row['engine_realtime']:.0f} times real time"
        print(f"  ({letter}) {GRAPHS[letter][0]:45} {row['ratio']:.2f}  median {row['median_ratio']:.2f}  {fast}")
    results["realtime_factor"] = factor = engine.realtime_factor()
    print(f"demo rendered on one core: {factor['worst']:.1f} to {factor['best']:.1f} times real time")
    print(f"on all of them: {factor['together']:.1f} at best, {factor['gain']:.2f} times as fast in each turn (median)")
    results["compile_ms"] = compiled = {str(count): engine.compile_ms(count) for count in (10, 200, 2000)}
    print("compiling:", ", ".join(f"{count} modules {ms:.1f} ms" for count, ms in compiled.items()))
    results["cost_by_size_ns"] = sizes = engine.cost_by_size_ns()
    print("per sample and module:", ", ".join(f"{count} modules {ns:.1f} ns" for count, ns in sizes.items()))
    results["bytes_per_module"] = size = engine.memory_per_module()
    print(f"memory per module: {size:.0f} bytes (without delay lines)")
    results["trace_cost"] = share = engine.trace_cost()
    print(f"200 live traces: {share:.2%} of a core")
    results["module_ns"] = costs = engine.module_costs_ns()
    print("ns per sample of each module: constant, main parameter moving, every parameter moving")
    for kind, cost in sorted(costs.items(), key=lambda item: -item[1]["constant"]):
        print(f"  {kind:18} {cost['constant']:6.1f} {cost['main']:6.1f} {cost['every']:6.1f}")
    sounds = {id_: cost for id_, cost in costs.items() if catalogue()[id_].stage in ("source", "shape")}
    for words, some in (("median", costs), ("sources and shapers", sounds)):
        medians = [statistics.median(cost[name] for cost in some.values()) for name in ("constant", "main", "every")]
        print(f"  {words:19}{medians[0]:6.1f} {medians[1]:6.1f} {medians[2]:6.1f}")
    results["startup"] = start = startup.measure()
    print(f"window: {start['window_s']:.2f} s, bare window: {start['bare_s']:.2f} s, ratio {start['ratio']:.2f}")
    results["first_start_s"] = first = startup.first_start_s()
    print(f"first start, with an empty cache: {first:.0f} s until the demo can sound")
    results["window"] = large = window.measure()
    frames = f"frame {large['frame_median_ms']:.1f} ms (99 of 100: {large['frame_p99_ms']:.1f})"
    rest = f"select {large['select_ms']:.0f}, undo {large['undo_ms']:.0f}, search {large['search_ms']:.1f} ms"
    share = f"{large['window_share_of_a_core']:.0%} of a core"
    print(f"window with the demo: {large['frames_per_second']:.0f} frames a second, {share}")
    print(f"window with {large['modules']:.0f} modules in {large['layers']:.0f} layers: {frames}, {rest}")
    results["steady"] = held = steady.measure()
    print(
        f"{held['seconds']:.0f} s at 128 frames with the window in use: {held['underruns']:.0f} underruns, "
        f"{held['own_underruns']:.0f} of them the program's own"
    )
    print(f"  the bare machine stalled {held['machine_stalls']:.0f} times, at most {held['machine_latest_ms']:.0f} ms")
    (BUILD / "bench.json").write_text(json.dumps(results, indent=1) + "\n")


if __name__ == "__main__":
    main()
