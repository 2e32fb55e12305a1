"""Sends mail without keeping anybody waiting: a message becomes a job, and a mail server that is away costs time only.

Django and the packages that send through it know nothing of this: it stands where a mail server would.
"""

import base64
import smtplib
from collections.abc import Sequence
from email import message_from_bytes
from email.policy import SMTP
from email.utils import parseaddr

from django.conf import settings
from django.core.mail import EmailMessage
from django.core.mail.backends.base import BaseEmailBackend
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

TASK = "convoy_site.keeping.mail.send"
TRIES = 12
"""With the pauses between them, about a day and a half."""

AS_WRITTEN = SMTP.clone(refold_source="none")
"""Headers go out as they were made: folded anew, a long address in one would become words that nobody can follow."""


class Queue(BaseEmailBackend):
    """What `EMAIL_BACKEND` names: hands each message to the workers."""

    def send_messages(self, email_messages: Sequence[EmailMessage]) -> int:
        for message in email_messages:
            raw = base64.b64encode(message.message().as_bytes()).decode()
            app.configure_task(TASK).defer(raw=raw, to=[parseaddr(one)[1] for one in message.recipients()])
        return len(email_messages)


@app.task(name=TASK, retry=RetryStrategy(max_attempts=TRIES, exponential_wait=4))
def send(raw: str, to: list[str]) -> None:
    """One message, over SMTP. Raises OSError or SMTPException while the server is away: the job is tried again."""
    message = message_from_bytes(base64.b64decode(raw), policy=AS_WRITTEN)
    mail = settings.MAIL
    if mail is None:
        return
    line = smtplib.SMTP_SSL if mail.is_tls else smtplib.SMTP
    with line(mail.host, mail.port, timeout=30) as server:
        if mail.starts_tls:
            server.starttls()
        if mail.user:
            server.login(mail.user, mail.password)
        server.send_message(message, to_addrs=to)
