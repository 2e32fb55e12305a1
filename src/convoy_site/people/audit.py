"""What owners of crews and keepers of the site did: one line each, written in the transaction of what was done."""

from .models import AuditEntry, Crew, User


def note(by: User | None, did: str, crew: Crew | None = None) -> None:
    """`did`: a sentence without its subject ("made Tolliver curator"). `by`: nobody for what a command did."""
    AuditEntry.objects.create(by=by, who=by.shown if by else "the site's own commands", did=did[:400], crew=crew)
