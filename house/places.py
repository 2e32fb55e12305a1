"""Where things lie. Everything that is made while running lies under var/."""

import json
import secrets
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VAR = ROOT / "var"
VENV = ROOT / ".venv"
WEB = ROOT / "web"
PYTHON = VENV / "bin" / "python"


def say(text: str) -> None:
    print(f"· {text}", flush=True)


def secret(name: str) -> str:
    """A random text, made once and kept readable for this user only."""
    kept = VAR / "secrets.json"
    VAR.mkdir(exist_ok=True)
    known = json.loads(kept.read_text()) if kept.exists() else {}
    if name not in known:
        known[name] = secrets.token_urlsafe(40)
        kept.touch(mode=0o600)
        kept.write_text(json.dumps(known, indent=1))
    return known[name]
