"""What can go wrong between site, sources and disk. After any of these the installation is as it was."""

from convoy_core.words.errors import ConvoyError


class SiteAway(ConvoyError):
    """The site does not answer, or not as it should."""

    code = "site-away"


class SiteRefused(ConvoyError):
    """The site answered with a refusal, in its own words."""

    code = "site-refused"


class FetchFailed(ConvoyError):
    """A source did not give a file, or gave another one. Names the file and what the source said."""

    code = "fetch-failed"


class FolderRefused(ConvoyError):
    """A folder that cannot be an installation: taken, not writable, or with links that lead out of it."""

    code = "folder-refused"


class DiskFull(ConvoyError):
    code = "disk-full"


class FileTrouble(ConvoyError):
    """A file that cannot be read or written for a reason of the system's own."""

    code = "file-trouble"


class TooNew(ConvoyError):
    """Something that a newer agent wrote. It is left as it is."""

    code = "too-new"


class NotPaired(ConvoyError):
    code = "not-paired"


class NothingInstalled(ConvoyError):
    """What was asked for needs something of the pack to lie there."""

    code = "nothing-installed"


class ErrandsLeft(ConvoyError):
    """Files that only the member can bring are still missing. `data["errands"]` lists them."""

    code = "errands-left"

    def sentence(self) -> str:
        """A list is read line by line."""
        return "\n".join(part for part in (self.what, self.why, self.now) if part)


class SomebodyElse(ConvoyError):
    """Another agent works on the same folder."""

    code = "busy"


class BackupRefused(ConvoyError):
    """A backup that cannot be made, found or trusted. Worlds are as they were."""

    code = "backup-refused"


class WorldRefused(ConvoyError):
    """A world that cannot be copied, renamed, handed on or brought over. All worlds are as they were."""

    code = "world-refused"


class Stopped(ConvoyError):
    """Somebody stopped it from the installation's page. What has arrived is kept."""

    code = "stopped"


class LineLimit(ConvoyError):
    """More is to be fetched than the member allows at once on a metered line."""

    code = "line-limit"


class NotAllowed(ConvoyError):
    """The site's page asks for something that only this machine's person may allow."""

    code = "not-allowed"


class BadRelease(ConvoyError):
    """A release that is not the one that was asked for, or not of this pack."""

    code = "bad-release"


class NoProgram(ConvoyError):
    """Nobody said which program the game is, or it may not be run."""

    code = "no-program"


class NotInStep(ConvoyError):
    """The folder is not as its release has it, and was to be played. `data["differences"]` counts them."""

    code = "not-in-step"


class BeingNarrowed(ConvoyError):
    """A fault is being narrowed down in the folder: until that ends, nothing else changes it."""

    code = "being-narrowed"


class CannotNarrow(ConvoyError):
    """Nothing is being narrowed down, or nothing can be."""

    code = "cannot-narrow"


class CannotPlay(ConvoyError):
    """The game could not be started, or nothing says how."""

    code = "cannot-play"
