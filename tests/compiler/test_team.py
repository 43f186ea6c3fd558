"""Several threads run one program: the same bits, and nothing before what it needs."""

from __future__ import annotations

import hashlib
import random
import threading
import time
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dunefall.compiler.build import compile_patch
from dunefall.compiler.code import use_loop_code
from dunefall.compiler.loop import NOBODY, run
from dunefall.compiler.plan import Ints
from dunefall.compiler.program import Program
from dunefall.compiler.records import MOST_THREADS, QUANTUM, STRANDS
from dunefall.compiler.team import Team
from dunefall.compiler.traces import no_traces
from dunefall.patch.changes import difference
from dunefall.patch.library import find_patch, starters
from dunefall.patch.model import Patch
from dunefall.patch.take import Edit, Entry, Take
from dunefall.render.performance import Performance
from dunefall.render.threads import render_with

RATE = 48000.0
STARTERS = sorted(starters())


@pytest.fixture(params=(2, 3, MOST_THREADS))
def team(request: pytest.FixtureRequest) -> Iterator[Team]:
    made = Team(request.param)
    yield made
    made.close()


def digest(program: Program, team: Ints, seconds: float, at_a_time: int = 4096) -> str:
    """Of all that a program gives and remembers."""
    out, kept = np.zeros((round(seconds * RATE), 2)), hashlib.sha256()
    for first in range(0, len(out), at_a_time):
        run(program.plan, program.memory, no_traces(), out[first : first + at_a_time], team)
    for array in (out, program.memory.states, program.memory.memories, program.memory.clicks, program.memory.now):
        kept.update(np.ascontiguousarray(array).tobytes())
    return kept.hexdigest()


def program_of(patch: Patch) -> Program:
    program = compile_patch(patch, rate=RATE)
    use_loop_code(program)
    return program


def test_any_number_of_threads_gives_the_same_bits(team: Team) -> None:
    alone = digest(program_of(demo()), NOBODY, 6.0)
    assert digest(program_of(demo()), team.words, 6.0) == alone
    assert digest(program_of(demo()), team.words, 6.0, 1000) == alone  # quantums in pieces


def demo() -> Patch:
    return find_patch("demo:")[0]


@pytest.mark.parametrize("starter", STARTERS)
def test_every_starter_gives_the_same_bits(starter: str) -> None:
    patch = find_patch(f"starter:{starter}")[0]
    team = Team(2)
    assert digest(program_of(patch), team.words, 2.0) == digest(program_of(patch), NOBODY, 2.0)
    team.close()


def test_edits_fall_on_their_samples_with_several_threads() -> None:
    patch = demo()
    louder = replace(patch, tempo_bpm=patch.tempo_bpm + 20.0)
    shorter = replace(patch, links=patch.links[:-1])
    entries = (
        Entry(20_001, Edit(difference(patch, louder))),
        Entry(40_000, Edit(difference(louder, replace(louder, links=shorter.links)))),
    )
    sounds = []
    for threads in (1, 2):
        render_with(threads)
        sounds.append(np.zeros((96_000, 2)))
        Performance(Take(patch, RATE, entries)).fill(sounds[-1])
    render_with(1)
    np.testing.assert_array_equal(*sounds)
    assert np.abs(sounds[0]).max() > 0.01


def test_two_teams_at_once_do_not_disturb_each_other() -> None:
    alone, found = digest(program_of(demo()), NOBODY, 3.0), {}

    def render(number: int) -> None:
        team = Team(2)
        found[number] = digest(program_of(demo()), team.words, 3.0, 64)
        team.close()

    threads = [threading.Thread(target=render, args=(number,)) for number in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert found == {0: alone, 1: alone}


def test_two_threads_with_one_team_do_not_disturb_each_other() -> None:
    """One of them has the helpers, the other runs alone meanwhile."""
    alone, found, team = digest(program_of(demo()), NOBODY, 3.0), {}, Team(2)

    def render(number: int) -> None:
        found[number] = digest(program_of(demo()), team.words, 3.0, 64)

    threads = [threading.Thread(target=render, args=(number,), daemon=True) for number in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60.0)
    assert found == {0: alone, 1: alone}
    team.close()


def test_helpers_sleep_while_nothing_runs_and_leave_when_they_are_sent_home() -> None:
    before = threading.active_count()
    team = Team(3)
    digest(program_of(demo()), team.words, 0.5)
    time.sleep(0.05)
    begun = time.process_time()
    time.sleep(0.3)
    assert time.process_time() - begun < 0.05  # two that spin would take 0.6 s
    team.close()
    assert threading.active_count() == before
    assert digest(program_of(demo()), team.words, 0.5) == digest(program_of(demo()), NOBODY, 0.5)


def test_each_helper_does_first_what_it_was_asked_to() -> None:
    seen: list[str] = []
    team = Team(3, lambda: seen.append(threading.current_thread().name))
    team.close()
    assert sorted(seen) == ["helper 1", "helper 2"]


@given(st.sampled_from(["demo:", *(f"starter:{name}" for name in STARTERS)]), st.randoms(use_true_random=False))
def test_tasks_in_any_order_that_their_needs_allow_run_nothing_before_its_sources(
    name: str, chance: random.Random
) -> None:
    """The order is drawn; what must have run is read from the links, not from the tasks."""
    program = compile_patch(find_patch(name)[0], rate=RATE)
    plan, done, ran = program.plan, [0] * STRANDS, set[int]()
    owner = {int(row): m for m in range(len(plan.modules)) for row in _outputs(program, m)}
    last_before = int(plan.parts[plan.tail[0], 0]) if plan.tail[0] < len(plan.parts) else len(plan.modules)
    while any(done[s] < plan.strands[s, 1] for s in range(STRANDS)):
        ready = [
            s
            for s in range(STRANDS)
            if done[s] < plan.strands[s, 1]
            and all(done[o] >= plan.tasks[plan.strands[s, 0] + done[s], 2 + o] for o in range(STRANDS))
        ]
        assert ready, "nobody can go on"
        s = chance.choice(ready)
        first, last = plan.tasks[plan.strands[s, 0] + done[s], :2]
        for m in range(plan.parts[first, 0], plan.parts[last - 1, 1]):
            for source in _sources(program, m, owner):
                assert source in ran or part_of(plan.parts, source) == part_of(plan.parts, m)
            ran.add(m)
        done[s] += 1
    assert ran == set(range(last_before))


def part_of(parts: np.ndarray, m: int) -> int:
    return int(np.searchsorted(parts[:, 1], m, side="right"))


def _outputs(program: Program, m: int) -> list[int]:
    module = program.plan.modules[m]
    rows = program.plan.ports[module["output_first"] : module["port_last"]]
    return [int(row) for k, row in enumerate(rows) if module["wanted"] & (1 << k)]


def _sources(program: Program, m: int, owner: dict[int, int]) -> list[int]:
    module, found = program.plan.modules[m], []
    for entry in program.plan.inputs[module["input_first"] : module["input_last"]]:
        for link in program.plan.links[entry["link_first"] : entry["link_last"]]:
            if link["delayed"] < QUANTUM:
                row = max(row for row in owner if row <= link["row"])
                found.append(owner[row])
    return found
