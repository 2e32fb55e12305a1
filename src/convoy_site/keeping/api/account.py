"""One's own account: how one is shown, taking everything along, ending it. The rest of it is django-allauth's. The same
of a crew, for its owner.
"""

import json
from uuid import UUID

from django.contrib.auth import logout
from django.http import HttpResponse, StreamingHttpResponse
from ninja import Router

from ...people.rights import SignedIn
from ...people.tries import count_use
from ...shapes import Done
from .. import accounts, ending
from ..shapes import AccountIn, CrewEndIn, EndIn

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


@router.get("/crews/{crew_id}/taken-along", operation_id="take_crew_along")
def take_crew_along(request: SignedIn, crew_id: UUID) -> StreamingHttpResponse:
    """Everything that is kept of a crew, as a ZIP."""
    parts = ending.crew_taken_along(request.user, crew_id)
    headers = {"Content-Disposition": 'attachment; filename="crew.zip"', "Cache-Control": "no-store"}
    return StreamingHttpResponse(parts, content_type="application/zip", headers=headers)


@router.post("/crews/{crew_id}/end", response=Done, operation_id="end_crew")
def end_crew(request: SignedIn, crew_id: UUID, body: CrewEndIn) -> Done:
    count_use("end-crew", str(request.user.pk), 10, 600)
    ending.end_crew(request.user, crew_id, body.name)
    return Done()
