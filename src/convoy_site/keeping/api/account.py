"""One's own account: how one is shown, taking everything along, ending it. The rest of it is django-allauth's."""

import json

from django.contrib.auth import logout
from django.http import HttpResponse
from ninja import Router

from ...people.rights import SignedIn
from ...people.tries import count_use
from ...shapes import Done
from .. import accounts
from ..shapes import AccountIn, EndIn

router = Router(tags=["people"])


@router.patch("/account", response=Done, operation_id="change_account")
def change_account(request: SignedIn, body: AccountIn) -> Done:
    request.user.first_name = body.name
    request.user.save(update_fields=["first_name"])
    return Done()


@router.get("/account/taken-along", operation_id="take_account_along")
def take_along(request: SignedIn) -> HttpResponse:
    """Everything that is kept about the one who asks, as a JSON file."""
    told = json.dumps(accounts.taken_along(request.user), default=str, indent=1, ensure_ascii=False)
    name = f"true-convoy-{request.user.username}.json"
    headers = {"Content-Disposition": f'attachment; filename="{name}"', "Cache-Control": "no-store"}
    return HttpResponse(told, content_type="application/json", headers=headers)


@router.post("/account/end", response=Done, operation_id="end_account")
def end_account(request: SignedIn, body: EndIn) -> Done:
    count_use("end-account", str(request.user.pk), 10, 600)
    accounts.end_account(request.user, body.password)
    logout(request)
    return Done()
