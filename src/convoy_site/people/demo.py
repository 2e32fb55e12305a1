"""The made-up crew of the demo. Their passwords are public: the accounts exist in demo mode only."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Account:
    username: str
    password: str
    who: str


DEMO_ACCOUNTS = (
    Account("maren", "kestrel-demo", "owner of Kestrel Wharf, curator"),
    Account("tolliver", "kestrel-demo", "second curator"),
    Account("isbet", "kestrel-demo", "member, joins tonight"),
    Account("odwin", "kestrel-demo", "member, plays already"),
)
