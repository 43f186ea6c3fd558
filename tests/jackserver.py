"""A real sound server for tests: ``jackd`` with its dummy driver, on a name of its own."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import time
from pathlib import Path

__all__ = ["Server", "there_is_jack"]


def there_is_jack() -> bool:
    """Whether the server is installed."""
    return shutil.which("jackd") is not None


class Server:
    """Runs until it is killed; ``environment`` is what a client needs to find it."""

    def __init__(self, rate: int = 48000, frames: int = 1024) -> None:
        self.name = f"dunefall-test-{os.getpid()}"
        self.environment = {"JACK_DEFAULT_SERVER": self.name, "JACK_NO_AUDIO_RESERVATION": "1",
                            "JACK_NO_START_SERVER": "1"}  # fmt: skip
        self.start(rate, frames)

    def start(self, rate: int = 48000, frames: int = 1024) -> None:
        """Start it, and wait until clients find it."""
        command = ["jackd", "-n", self.name, "-r", "-d", "dummy", "-r", str(rate), "-p", str(frames)]
        self.process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        end = time.monotonic() + 10.0
        while "system:playback_1" not in self.ports():
            assert time.monotonic() < end, "jackd does not start"
            time.sleep(0.05)

    def ports(self) -> list[str]:
        """Names of all ports."""
        environment = {**os.environ, **self.environment}
        asked = subprocess.run(["jack_lsp"], env=environment, capture_output=True, text=True, check=False)
        return asked.stdout.split()

    def signal(self, number: signal.Signals) -> None:
        """Stop it, let it go on, end it or kill it."""
        self.process.send_signal(number)
        if number in (signal.SIGTERM, signal.SIGKILL):
            self.process.wait()
            for left in Path("/dev/shm").glob(f"jack_*{self.name}_*"):  # a killed one does not tidy up
                left.unlink(missing_ok=True)
