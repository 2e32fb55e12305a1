"""How an agent is let in: by its installation's token, which opens nothing else."""

from django.http import HttpRequest
from ninja.security import HttpBearer

from . import joining
from .models import Installation


class FromAgent(HttpRequest):
    """A request of an agent that has shown its installation's token."""

    auth: Installation


class AgentToken(HttpBearer):
    """Lets in who shows the token of a paired installation, and hands that installation on."""

    def authenticate(self, request: HttpRequest, token: str) -> Installation | None:
        return joining.by_token(token)
