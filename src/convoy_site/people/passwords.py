"""What a password may not be, beside what Django's own validators refuse. Messages go to whoever types it."""

import re
from typing import Any

from django.core.exceptions import ValidationError

from convoy_core.words.names import look_of

FEWEST_SIGNS = 5
"""Different signs: `aaaaaaaaaa` and `abababab` are long, and tried first."""

RUNS = ("abcdefghijklmnopqrstuvwxyz", "01234567890123456789", "qwertyuiop", "asdfghjkl", "zxcvbnm", "qwertzuiop")
LONGEST_RUN = 6


class NotPlain:
    def validate(self, password: str, user: Any = None) -> None:
        if len(set(password)) < FEWEST_SIGNS:
            raise ValidationError("It has too few different signs.", code="too_plain")
        folded = password.casefold()
        for run in RUNS:
            for line in (run, run[::-1]):
                for start in range(len(line) - LONGEST_RUN + 1):
                    rest = folded.replace(line[start : start + LONGEST_RUN], "")
                    if len(rest) < LONGEST_RUN and rest != folded:
                        raise ValidationError("It is little more than a row of keys.", code="too_plain")
        core = look_of(re.sub(r"[\d\W_]+", "", folded))
        for told in (getattr(user, name, "") or "" for name in ("username", "first_name", "email")):
            name = look_of(re.sub(r"[\d\W_]+", "", str(told).split("@")[0]))
            if name and core in (name, name[::-1], name * 2, "convoy", "trueconvoy", "password"):
                raise ValidationError("It is a name with little added.", code="too_plain")

    def get_help_text(self) -> str:
        return "Not a name with a digit, not a row of keys, not one sign again and again."
