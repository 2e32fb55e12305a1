"""Accounts in the browser: a second factor by app and by passkey, recovery codes, sessions, the keeper's way back."""

from __future__ import annotations

import base64
import hashlib
import hmac
import struct
import time

import httpx
from selenium.webdriver.common.virtual_authenticator import VirtualAuthenticatorOptions

from .browser import Browser
from .test_access import of_the_demo
from .test_walk import PASSWORD, People, sign_up

PERIOD = 30
"""Seconds for which a code holds."""


def six_digits(secret: str) -> str:
    """What an app shows for a secret (RFC 6238); one that holds long enough to be typed on a busy machine."""
    while time.time() % PERIOD > PERIOD / 6:
        time.sleep(0.2)
    key = base64.b32decode(secret + "=" * (-len(secret) % 8))
    digest = hmac.new(key, struct.pack(">Q", int(time.time()) // PERIOD), hashlib.sha1).digest()
    at = digest[-1] & 15
    return f"{(struct.unpack('>I', digest[at : at + 4])[0] & 0x7FFFFFFF) % 1_000_000:06}"


def sign_out(browser: Browser) -> None:
    browser.driver.delete_all_cookies()
    browser.go("/sign-in")


def sign_in(browser: Browser, name: str) -> None:
    browser.fill("Name or e-mail address", name)
    browser.fill("Password", PASSWORD)
    browser.press("Sign in", within="page")


def once_more(browser: Browser) -> None:
    """What guards an account is not changed without its password."""
    browser.sees("Your password, once more")
    assert browser.complaints() == []
    browser.fill("Your password", PASSWORD)
    browser.press("Go on")


def test_an_app_with_six_digits_and_the_codes_for_the_day_without_it(people: People) -> None:
    ruth = people("ruth")
    sign_up(ruth, "ruth")
    ruth.go("/account")
    ruth.press("Use an app with six digits")
    ruth.sees("Let your app read this")
    assert ruth.complaints() == []
    codes = [one.text for one in ruth.driver.find_elements("css selector", "form code")]
    ruth.fill("The six digits that it shows", "000000")
    ruth.press("Use it from now on")
    ruth.sees("Incorrect code")
    ruth.fill("The six digits that it shows", six_digits(codes[0]))
    ruth.press("Use it from now on")
    once_more(ruth)
    ruth.sees("An app that shows six digits, since", "Each works once.")
    recovery = [one.text for one in ruth.driver.find_elements("css selector", "[role=status] li")]
    assert len(recovery) == 10
    sign_out(ruth)
    sign_in(ruth, "ruth")
    ruth.sees("One more step")
    assert ruth.complaints() == []
    ruth.fill("Code", "123456")
    ruth.press("Go on")
    ruth.sees("Incorrect code")
    ruth.fill("Code", recovery[0])
    ruth.press("Go on")
    ruth.sees("Welcome aboard")
    ruth.go("/account")
    ruth.sees("9 recovery codes left")


def test_a_passkey_alone_opens_an_account(people: People) -> None:
    """By the site's name: passkeys are bound to one."""
    ruth = people("passkeys")
    by_number, ruth.address = ruth.address, ruth.address.replace("127.0.0.1", "localhost")
    options = VirtualAuthenticatorOptions()
    options.protocol = VirtualAuthenticatorOptions.Protocol.CTAP2
    options.has_resident_key = options.has_user_verification = options.is_user_verified = True
    ruth.driver.add_virtual_authenticator(options)
    sign_up(ruth, "agnes")
    ruth.go("/account")
    ruth.press("Add a passkey")
    once_more(ruth)
    ruth.sees("Passkey “Passkey 1”, since")
    assert ruth.complaints() == []
    sign_out(ruth)
    ruth.press("Sign in with a passkey")
    ruth.sees("Welcome aboard")
    ruth.address = by_number


def test_sessions_are_listed_and_ended_and_an_address_is_changed(people: People, stack: dict[str, str]) -> None:
    hale, elsewhere = people("hale"), people("elsewhere")
    sign_up(hale, "hale")
    elsewhere.go("/sign-in")
    sign_in(elsewhere, "hale")
    elsewhere.sees("Welcome aboard")
    hale.go("/account")
    hale.press("End all others")
    hale.until("one session", lambda: "End it" not in hale.text())
    elsewhere.go("/account")
    elsewhere.sees("You are not signed in")
    hale.fill("Another address", "hale@other.example")
    hale.press("Add it")
    hale.sees("A mail went to hale@other.example")

    def mailed() -> str:
        letters = httpx.get(f"{stack['CONVOY_LETTERS']}/letters.json").json()
        return next((one["text"] for one in letters if "hale@other" in one["to"]), "")

    text = str(hale.until("the mail", mailed))
    hale.driver.get(next(word for word in text.split() if "/account/address/" in word))
    hale.press("This is my address")
    hale.sees("It is confirmed.")


def test_the_keeper_lets_somebody_in_again(people: People) -> None:
    maren, lost = of_the_demo(people), people("lost")
    sign_up(lost, "linus")
    maren.go("/site?part=people")
    maren.fill("Name or address", "linus")
    maren.press("Way back for linus")
    maren.sees("Give this address to linus")
    address = next(one.text for one in maren.driver.find_elements("css selector", "code") if "/password/" in one.text)
    lost.driver.delete_all_cookies()
    lost.driver.get(address)
    lost.fill("New password", "found again at the weir")
    lost.press("Set it")
    lost.until("to be out of it", lambda: "/password" not in lost.driver.current_url)
    maren.press("Lock linus")
    maren.sees("▬ locked")
    lost.go("/sign-in")
    lost.fill("Name or e-mail address", "linus")
    lost.fill("Password", "found again at the weir")
    lost.press("Sign in", within="page")
    lost.sees("This account is locked.")
    maren.go("/site?part=done")
    maren.sees("locked the account of linus", "opened the account of linus again")
