"""`./run COMMAND`: the table of commands."""

import os
import signal
import subprocess
import sys

from . import commands, serving
from .places import VAR

COMMANDS = {
    "demo": (commands.demo, "install, build, start everything with demo data; --fresh starts over"),
    "serve": (serving.serve, "production, from one file of settings: database, site, workers"),
    "backup": (serving.backup, "FOLDER: database and files of one moment into a folder"),
    "restore": (serving.restore, "BACKUP: into an empty place"),
    "dev": (commands.dev, "the same, reloading code and screens as they change"),
    "test": (commands.test, "every check and test; or only parts: core agent site screens static"),
    "bench": (commands.bench, "measure, and write docs/benchmarks.md; or only parts by name"),
    "pictures": (commands.pictures, "take docs/screenshots anew from a fresh demo"),
    "build": (commands.build, "install and build what a server needs, and start nothing"),
    "wheels": (commands.wheels, "the agent for pip: of plain Python, and compiled for this system, into var/wheels"),
    "client": (commands.client, "write the API's description and the web's typed client anew"),
    "convoy": (commands.convoy, "the agent's command line, without installing it"),
    "manage": (commands.manage, "Django's own commands, on the demo's database"),
}


def main() -> int:
    name = sys.argv[1] if len(sys.argv) > 1 else ""
    if name not in COMMANDS:
        print("./run COMMAND, where COMMAND is one of\n")
        for command, (_, what) in COMMANDS.items():
            print(f"  {command:9} {what}")
        return 0 if name in ("", "help", "-h", "--help") else 2
    # What runs here starts many small programs: compiled once, each of them starts in half the time.
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    os.environ["PYTHONPYCACHEPREFIX"] = str(VAR / "compiled")
    # A polite kill ends like Ctrl-C, and Ctrl-C works even where a script started this with it switched off.
    signal.signal(signal.SIGINT, signal.default_int_handler)
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    try:
        return COMMANDS[name][0](sys.argv[2:])
    except KeyboardInterrupt:
        return 130
    except subprocess.CalledProcessError as error:
        print(f"\nThis step failed; what it said is above: {' '.join(map(str, error.cmd))}", file=sys.stderr)
        return 1


sys.exit(main())
