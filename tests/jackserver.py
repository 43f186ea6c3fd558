"""A real sound server for tests: ``jackd`` with its dummy driver, on a name of its own."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

__all__ = ["Server", "there_is_jack"]

NAMES = tuple(f"dunefall-test-{k}" for k in range(4))
"""JACK knows eight servers, and one that was killed until another of its name is started: names of their own would run
out. Another one is taken where somebody else tests at the same time."""
ALONE = {"JACK_NO_AUDIO_RESERVATION": "1", "JACK_NO_START_SERVER": "1"}


def there_is_jack() -> bool:
    """Whether the server is installed."""
    return shutil.which("jackd") is not None


class Server:
    """Runs until it is killed; ``environment`` is what a client needs to find it."""

    def __init__(self, rate: int = 48000, frames: int = 1024) -> None:
        for name in NAMES:
            self.name, self.environment = name, {**ALONE, "JACK_DEFAULT_SERVER": name}
            if self._begins(rate, frames):
                return
        raise AssertionError("jackd does not start")

    def start(self, rate: int = 48000, frames: int = 1024) -> None:
        """Start it again, and wait until clients find it."""
        assert self._begins(rate, frames), "jackd does not start again"

    def _begins(self, rate: int, frames: int) -> bool:
        command = ["jackd", "-n", self.name, "-r", "-d", "dummy", "-r", str(rate), "-p", str(frames)]
        self.process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        end = time.monotonic() + 10.0
        while self.process.poll() is None and time.monotonic() < end:
            if "system:playback_1" in self.ports():
                return True
            time.sleep(0.05)
        self.signal(signal.SIGKILL)
        return False

    def ports(self) -> list[str]:
        """Names of all ports; none while it does not answer."""
        return self._asked("print(*(port.name for port in client.get_ports()), sep='\\n')").stdout.splitlines()

    def use_block(self, frames: int) -> None:
        """Let it work in blocks of so many frames."""
        self._asked(f"client.blocksize = {frames}").check_returncode()

    def _asked(self, what: str) -> subprocess.CompletedProcess[str]:
        """What another program is told, which is gone when the server dies; JACK's own tools are not everywhere."""
        program = f"import jack; client = jack.Client('asks', no_start_server=True); {what}"
        environment = {**os.environ, **self.environment}
        asked = [sys.executable, "-c", program]
        return subprocess.run(asked, env=environment, capture_output=True, text=True, check=False)

    def signal(self, number: signal.Signals) -> None:
        """Stop it, let it go on, end it or kill it."""
        self.process.send_signal(number)
        if number in (signal.SIGTERM, signal.SIGKILL):
            self.process.wait()
            for left in Path("/dev/shm").glob(f"jack_*{self.name}_*"):  # a killed one does not tidy up
                left.unlink(missing_ok=True)
