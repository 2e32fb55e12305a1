"""What a game said: its log read in one pass into entries, whose they are, why it ended, and what is private in it.

`lines` makes text of bytes, `reading` makes entries of lines and keeps what fits into bounded memory, `whose` gives
each to a mod, `cause` says why it ended, `comparing` holds two logs against each other, `private` replaces what must
not leave a machine. How a log looks is the game profile's to say (`words.log_shape`).
"""

from .comparing import Compared, compared
from .entries import Cause, Ended, Entry, Log
from .private import Known, Replaced, without_private
from .reading import LogReader, read_log

__all__ = [
    "Cause",
    "Compared",
    "Ended",
    "Entry",
    "Known",
    "Log",
    "LogReader",
    "Replaced",
    "compared",
    "read_log",
    "without_private",
]
