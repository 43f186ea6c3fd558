"""An engine's process for tests: one that a file of tests shares, back at its start, or one of a test's own."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from dunefall.engine import messages as say
from dunefall.engine.client import EngineClient
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import Status
from rig import demo, until


def _begun() -> EngineClient:
    client = EngineClient(EngineOptions(audio="simulated"))
    client.set_patch(demo())
    client.wait_for(say.Prepared)
    return client


@pytest.fixture(scope="module")
def _shared() -> Iterator[EngineClient]:
    client = _begun()
    yield client
    client.close()


@pytest.fixture
def engine(_shared: EngineClient) -> EngineClient:
    """The demo stands at its start; for tests that neither end the process nor change the device."""
    _shared.stop()
    _shared.set_monitor(say.Monitor())
    for index in range(4):
        _shared.set_probe(index, None)
    _shared.open(demo())
    _shared.left.clear()
    assert until(lambda: not _shared.status[Status.PLAYING] and _shared.position == 0)
    _shared.status[Status.PEAKS :] = 0.0
    until(lambda: not _shared.poll())
    return _shared


@pytest.fixture
def own_engine() -> Iterator[EngineClient]:
    """An engine that may be killed."""
    client = _begun()
    yield client
    client.close()
