"""Runs syncs that are killed: `python -m tests.agent.killed FOLDER STORE`, told on standard input when to kill each.

One process forks a child for every sync, so that three hundred of them cost no three hundred starts of Python.
"""

import os
import signal
import sys
import time
from pathlib import Path

from convoy_agent.site.connection import tls
from convoy_agent.storage.store import Store
from convoy_agent.sync import sync


def run(folder: Path, store: Store, kill_at_step: int) -> None:
    count = 0

    def step(name: str) -> None:
        nonlocal count
        count += 1
        if count == kill_at_step:
            os.kill(os.getpid(), signal.SIGKILL)

    sync(folder, store, step=step)


def main(folder: Path, store: Store) -> None:
    tls()  # once, not in every child
    print("ready", flush=True)
    for line in sys.stdin:
        what, amount = line.split()
        child = os.fork()
        if child == 0:
            try:
                run(folder, store, int(amount) if what == "step" else 0)
            finally:
                os._exit(0)
        if what == "seconds":
            time.sleep(float(amount))
            os.kill(child, signal.SIGKILL)
        _, status = os.waitpid(child, 0)
        print("killed" if os.WIFSIGNALED(status) else "done", flush=True)


if __name__ == "__main__":
    main(Path(sys.argv[1]), Store(Path(sys.argv[2])))
