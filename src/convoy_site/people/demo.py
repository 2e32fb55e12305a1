"""The made-up crew of the demo. Their passwords are public: the accounts exist in demo mode only."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Account:
    username: str
    password: str
    who: str


DEMO_ACCOUNTS = (
    Account("maren", "kestrel-demo", "owner of Kestrel Wharf, curator, keeps the site"),
    Account("tolliver", "kestrel-demo", "second curator"),
    Account("isbet", "kestrel-demo", "member, joins tonight"),
    Account("odwin", "kestrel-demo", "member, some releases behind"),
    Account("sunniva", "kestrel-demo", "member, changed a setting"),
    Account("corvin", "kestrel-demo", "member, on a small machine"),
    Account("liesel", "kestrel-demo", "member, newly aboard"),
    Account("perrin", "kestrel-demo", "member, not heard from for a while"),
)
