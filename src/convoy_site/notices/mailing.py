"""News by mail: at once, or once a day; with a way to stop that is one click (RFC 8058)."""

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime, timedelta
from uuid import UUID

from allauth.account.models import EmailAddress
from django.conf import settings
from django.core import signing
from django.core.mail import EmailMessage
from django.db import transaction
from django.utils import timezone

from convoy_core.words.wording import counted

from ..packs.models import Pack
from ..people.models import Defaults, User
from .models import Letter, Mailed, Notice, Wish

SALT = "convoy.news.stop"
OLDEST = timedelta(days=7)
"""News that nobody mailed within a week is none any more."""
MOST_IN_A_LETTER = 100


def wish_of(user: User, pack: Pack | None) -> Mailed:
    return wishes_of([user.pk], pack)[user.pk]


def wishes_of(users: Iterable[int], pack: Pack | None) -> dict[int, Mailed]:
    """How each wants the news of a pack: as they said for it, else for all, else as its crew has it, else once a day.
    Two queries.
    """
    keys = list(users)
    said: dict[tuple[int, UUID | None], str] = {}
    for user, of, mail in Wish.objects.filter(user__in=keys).values_list("user", "pack", "mail"):
        said[user, of] = mail
    own = pack.pk if pack else None
    crews = Defaults.objects.filter(crew=pack.crew_id).values_list("mail", flat=True).first() if pack else ""
    return {key: Mailed(said.get((key, own)) or said.get((key, None)) or crews or Mailed.DAILY) for key in keys}


def settle_letters(notices: Sequence[Notice], pack: Pack | None) -> None:
    """Says of each notice whether it is to be mailed. What needs somebody does not wait for the day's letter."""
    if settings.MAIL is None:
        return
    wishes = wishes_of((one.user_id for one in notices), pack)
    for one in notices:
        if wishes[one.user_id] is not Mailed.NEVER:
            one.letter = Letter.WAITS


def mail_at_once(notices: Sequence[Notice]) -> None:
    """Sends those that do not wait for the day's letter. Called in the transaction that made them."""
    waiting = [one for one in notices if one.letter == Letter.WAITS]
    if not waiting:
        return
    wishes = wishes_of((one.user_id for one in waiting), waiting[0].pack)
    now = [one for one in waiting if one.needs or wishes[one.user_id] is Mailed.AT_ONCE]
    for user_id, address in _addresses(one.user_id for one in now).items():
        for one in (each for each in now if each.user_id == user_id):
            _send(address, user_id, one.text.rstrip("."), [one], one.pack)
    Notice.objects.filter(pk__in=[one.pk for one in now]).update(letter=Letter.SENT)


def mail_the_day() -> int:
    """The day's letters: one for each who has news waiting. Gives how many."""
    since = timezone.now() - OLDEST
    Notice.objects.filter(letter=Letter.WAITS, at__lte=since).update(letter=Letter.NONE)
    users = list(Notice.objects.filter(letter=Letter.WAITS).order_by().values_list("user", flat=True).distinct())
    addresses = _addresses(users)
    for user_id in users:
        with transaction.atomic():
            rows = Notice.objects.select_for_update(of=("self",)).select_related("pack", "crew")
            waiting = list(rows.filter(user=user_id, letter=Letter.WAITS)[:MOST_IN_A_LETTER])
            if waiting and user_id in addresses:
                _send(addresses[user_id], user_id, f"{counted(len(waiting), 'piece')} of news", waiting, None)
            Notice.objects.filter(pk__in=[one.pk for one in waiting]).update(letter=Letter.SENT)
    return len(addresses)


def _addresses(users: Iterable[int]) -> dict[int, str]:
    """Only what its owner confirmed is written to."""
    found = EmailAddress.objects.filter(user__in=set(users), verified=True, user__is_active=True)
    return dict(found.order_by("primary").values_list("user", "email"))


def _send(to: str, user_id: int, subject: str, notices: Sequence[Notice], pack: Pack | None) -> None:
    stop = f"{settings.ADDRESS}/news/stop/{stop_token(user_id, pack.pk if pack else None)}"
    of = f"of {pack.name}" if pack else "of all your packs"
    body = "\n\n".join(_paragraph(one, alone=len(notices) == 1) for one in notices)
    foot = f"--\nYou get this as you follow packs at {settings.ADDRESS}\nNo more mail {of}: {stop}\n"
    headers = {
        "List-Unsubscribe": f"<{stop}>",
        "List-Unsubscribe-Post": "List-Unsubscribe=One-Click",
        "List-Id": "News of packs <news.true-convoy>",
        "Auto-Submitted": "auto-generated",
    }
    EmailMessage(" ".join(subject.split())[:200], f"{body}\n\n{foot}", to=[to], headers=headers).send()


def _paragraph(one: Notice, alone: bool) -> str:
    lines = [one.text, *([f"When: {in_utc(one.when)}"] if one.when else [])]
    if one.more and alone:
        lines = [*lines[1:], one.more.strip()] if one.more.startswith(one.text) else [*lines, "", one.more.strip()]
    return "\n".join([*lines, f"{settings.ADDRESS}{one.address}"])


def in_utc(moment: datetime) -> str:
    return f"{moment.astimezone(UTC):%A, %d %B %Y, %H:%M} UTC"


def stop_token(user_id: int, pack_id: UUID | None) -> str:
    return signing.dumps([user_id, str(pack_id or "")], salt=SALT)


def stopped(token: str) -> tuple[User, Pack | None] | None:
    """Whose news of what an address stops; None where nobody signed it. Stops nothing yet."""
    try:
        user_id, pack_id = signing.loads(token, salt=SALT)
    except signing.BadSignature:
        return None
    user = User.objects.filter(pk=user_id).first()
    pack = Pack.objects.filter(pk=pack_id).first() if pack_id else None
    return None if user is None or (pack_id and pack is None) else (user, pack)


@transaction.atomic
def wish(user: User, pack: Pack | None, mail: Mailed | None) -> None:
    """`mail` of None: as for all packs. News that waits for the day's letter goes by the new wish."""
    if mail is None:
        Wish.objects.filter(user=user, pack=pack).delete()
    else:
        Wish.objects.update_or_create(user=user, pack=pack, defaults={"mail": mail})
    waiting = Notice.objects.filter(user=user, letter=Letter.WAITS)
    if mail is Mailed.NEVER:
        (waiting.filter(pack=pack) if pack else waiting).update(letter=Letter.NONE)
