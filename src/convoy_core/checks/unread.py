"""Files that are in a conflict, could be read key by key, and are not read yet, or cannot be: never free of
conflict.
"""

from __future__ import annotations

from ..lock.lock import OVERLAY
from ..words.wording import counted
from .finding import Finding, Severity
from .subject import Subject


def check(subject: Subject) -> list[Finding]:
    waiting, wrong = [], []
    for meeting in subject.readable_meetings:
        for mod in meeting.by:
            reading = subject.reading(mod, meeting.path)
            name = "Own files" if mod == OVERLAY else subject.name(mod)
            if reading is None:
                waiting.append(f"{meeting.path} of {name}")
            elif reading.trouble:
                wrong.append(f"{meeting.path} of {name}: {reading.trouble}")
    found = []
    if waiting:
        found.append(
            Finding(
                "unread",
                Severity.ADVICE,
                ("waiting",),
                f"{counted(len(waiting), 'file')} in a conflict {'is' if len(waiting) == 1 else 'are'} not read yet.",
                "Until then the whole file counts, not its keys.",
                "Wait a moment; what only a person may fetch is read by the agent of a member who has it.",
                evidence=tuple(waiting[:60]),
            )
        )
    if wrong:
        found.append(
            Finding(
                "unreadable",
                Severity.ADVICE,
                ("files",),
                f"{counted(len(wrong), 'file')} in a conflict cannot be read.",
                "The whole file counts, not its keys.",
                "Look at the file itself.",
                evidence=tuple(wrong[:60]),
            )
        )
    return found
