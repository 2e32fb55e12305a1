"""The keeper's place: how the site stands, its rules, accounts, invitations, jobs, storage, what was done."""

from typing import Annotated

from django.conf import settings
from ninja import Query, Router

from convoy_core.words.codes import INVITATION_LENGTH, read_code, show_code

from ...catalogue import keeping_sources
from ...catalogue.api.sources import looked_at, new_source, source_row
from ...catalogue.shapes.sources import AddressIn, LookOut, SourceIn, SourceRow
from ...people.models import Invitation, Registration, SiteRules, User
from ...people.rights import SignedIn, keeper
from ...shapes import Done, Short
from .. import accounts, upkeep
from ..shapes import (
    AccountRow,
    AccountsPage,
    AuditPage,
    AuditRow,
    CrewUseOut,
    InvitationIn,
    InvitationOut,
    JobOut,
    KeeperIn,
    KeeperPage,
    LockIn,
    PartOut,
    RulesIn,
    RulesOut,
    StorageOut,
    WayBackOut,
)
from ..standing import standing

router = Router(tags=["keeping"])

Username = Annotated[str, Query(max_length=150)]


@router.get("/keeper", response=KeeperPage, operation_id="keeper")
def keeper_page(request: SignedIn) -> KeeperPage:
    keeper(request.user, "see the keeper's place")
    found = standing()
    return KeeperPage(
        health=[PartOut(name=one.name, ok=one.ok, told=one.told) for one in found.parts],
        jobs_waiting=found.jobs.waiting,
        jobs_doing=found.jobs.doing,
        jobs_failed=found.jobs.failed,
        workers=found.jobs.workers,
        rules=_rules(SiteRules.now()),
        mail=settings.MAIL is not None,
        private_sources=settings.PRIVATE_SOURCES,
        files_at="disk" if "FileSystem" in settings.STORAGES["default"]["BACKEND"] else "object store",
    )


@router.patch("/keeper/rules", response=RulesOut, operation_id="change_rules")
def change_rules(request: SignedIn, body: RulesIn) -> RulesOut:
    return _rules(accounts.change_rules(request.user, **body.model_dump(exclude_none=True)))


@router.get("/keeper/accounts", response=AccountsPage, operation_id="accounts")
def list_accounts(request: SignedIn, text: Short = "", page: int = 1) -> AccountsPage:
    found = accounts.accounts(request.user, text)
    total, size = found.count(), accounts.ACCOUNTS_A_PAGE
    pages = max(1, -(-total // size))
    page = min(max(1, page), pages)
    return AccountsPage(
        rows=[_account(one) for one in found[(page - 1) * size : page * size]], total=total, page=page, pages=pages
    )


@router.post("/keeper/accounts/{username}/lock", response=Done, operation_id="lock_account")
def lock_account(request: SignedIn, username: str, body: LockIn) -> Done:
    accounts.lock(request.user, username, body.locked)
    return Done()


@router.post("/keeper/accounts/{username}/way-back", response=WayBackOut, operation_id="open_account_again")
def open_account_again(request: SignedIn, username: str) -> WayBackOut:
    return WayBackOut(address=accounts.way_back(request.user, username))


@router.put("/keeper/accounts/{username}/keeper", response=Done, operation_id="make_keeper")
def make_keeper(request: SignedIn, username: str, body: KeeperIn) -> Done:
    accounts.make_keeper(request.user, username, body.keeper)
    return Done()


@router.get("/keeper/invitations", response=list[InvitationOut], operation_id="invitations")
def list_invitations(request: SignedIn) -> list[InvitationOut]:
    return [_invitation(one) for one in accounts.invitations(request.user)]


@router.post("/keeper/invitations", response=InvitationOut, operation_id="invite")
def invite(request: SignedIn, body: InvitationIn) -> InvitationOut:
    return _invitation(accounts.invite(request.user, body.note))


@router.delete("/keeper/invitations/{code}", response=Done, operation_id="withdraw_invitation")
def withdraw_invitation(request: SignedIn, code: str) -> Done:
    keeper(request.user, "withdraw invitations")
    accounts.withdraw_invitation(request.user, read_code(code, INVITATION_LENGTH))
    return Done()


@router.get("/keeper/jobs", response=list[JobOut], operation_id="jobs")
def list_jobs(request: SignedIn) -> list[JobOut]:
    return [JobOut(**vars(one)) for one in upkeep.jobs(request.user)]


@router.post("/keeper/jobs/{job_id}/again", response=Done, operation_id="begin_job_again")
def begin_job_again(request: SignedIn, job_id: int) -> Done:
    upkeep.try_again(request.user, job_id)
    return Done()


@router.get("/keeper/storage", response=StorageOut, operation_id="storage")
def see_storage(request: SignedIn) -> StorageOut:
    found = upkeep.storage(request.user)
    return StorageOut(
        database_bytes=found.database_bytes,
        files=found.files,
        file_bytes=found.file_bytes,
        crews=[CrewUseOut(**vars(one)) for one in found.crews],
    )


@router.get("/keeper/audit", response=AuditPage, operation_id="audit")
def see_audit(request: SignedIn, page: int = 1) -> AuditPage:
    size = upkeep.ENTRIES_A_PAGE
    start = (max(1, page) - 1) * size
    found = list(upkeep.entries(request.user)[start : start + size + 1])
    rows = [AuditRow(at=one.at, who=one.who, did=one.did, crew=one.crew.name if one.crew else "") for one in found]
    return AuditPage(rows=rows[:size], more=len(found) > size)


@router.get("/keeper/sources", response=list[SourceRow], operation_id="everybodys_sources")
def everybodys_sources(request: SignedIn) -> list[SourceRow]:
    keeper(request.user, "see the site's sources")
    return [source_row(one) for one in keeping_sources.sources_of(None)]


@router.post("/keeper/sources/look", response=LookOut, operation_id="look_at_everybodys_source")
def look(request: SignedIn, body: AddressIn) -> LookOut:
    keeper(request.user, "add a source for everybody")
    return looked_at(request, body.address)


@router.post("/keeper/sources", response=SourceRow, operation_id="add_everybodys_source")
def add(request: SignedIn, body: SourceIn) -> SourceRow:
    return source_row(keeping_sources.add_source(request.user, None, new_source(body)))


def _rules(rules: SiteRules) -> RulesOut:
    return RulesOut(
        registration=Registration(rules.registration),
        upload_mb=rules.upload_mb,
        crew_mb=rules.crew_mb,
        account_mb=rules.account_mb,
        site_mb=rules.site_mb,
        crews_per_person=rules.crews_per_person,
        packs_per_crew=rules.packs_per_crew,
    )


def _account(one: User) -> AccountRow:
    return AccountRow(
        username=one.username,
        name=one.shown,
        email=one.email,
        active=one.is_active,
        keeper=one.is_staff,
        crews=getattr(one, "crew_count", 0),
        second_factor=getattr(one, "factor_count", 0) > 0,
        joined=one.date_joined,
        last_login=one.last_login,
    )


def _invitation(one: Invitation) -> InvitationOut:
    return InvitationOut(
        code=show_code(one.code),
        note=one.note,
        made_by=one.made_by.shown,
        made_at=one.made_at,
        used_by=one.used_by.shown if one.used_by else "",
    )
