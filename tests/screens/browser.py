"""A browser as a person uses it: finds things by what they are called, waits until they are there."""

from __future__ import annotations

import json
import re
import tempfile
from collections.abc import Callable
from pathlib import Path

from selenium import webdriver
from selenium.common.exceptions import (
    ElementClickInterceptedException,
    ElementNotInteractableException,
    StaleElementReferenceException,
    TimeoutException,
)
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

WAIT_SECONDS = 45
AXE = Path(__file__).resolve().parents[2] / "web/node_modules/axe-core/axe.min.js"
FLAGS = (
    "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--hide-scrollbars",
    "--disable-background-networking", "--disable-component-update", "--disable-sync", "--force-device-scale-factor=1",
)  # fmt: skip


class Browser:
    """One person's browser at one site."""

    def __init__(self, address: str, width: int = 1280, height: int = 800, dark: bool = False) -> None:
        options = webdriver.ChromeOptions()
        options.binary_location = "/usr/bin/chromium"
        self._profile = tempfile.TemporaryDirectory()
        for flag in (*FLAGS, f"--window-size={width},{height}", f"--user-data-dir={self._profile.name}"):
            options.add_argument(flag)
        options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
        self.driver = webdriver.Chrome(options, webdriver.ChromeService("/usr/bin/chromedriver"))
        self.becomes(width, height, dark)
        self.address = address

    def becomes(self, width: int, height: int, dark: bool = False) -> None:
        """Another screen, or the other colours."""
        metrics = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)
        # Without motion, so that nothing is judged in a colour that it only passes through.
        wishes = {"prefers-color-scheme": "dark" if dark else "light", "prefers-reduced-motion": "reduce"}
        features = [{"name": name, "value": value} for name, value in wishes.items()]
        self.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": features})

    def settles(self) -> None:
        """Waits until what was changed is drawn, and drawn again."""
        self.driver.execute_async_script(
            "const done = arguments[0]; requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(done, 60)))"
        )

    def close(self) -> None:
        self.driver.quit()
        self._profile.cleanup()

    def go(self, path: str) -> None:
        self.driver.get(self.address + path)

    def until(self, what: str, test: Callable[[], object]) -> object:
        return WebDriverWait(self.driver, WAIT_SECONDS, ignored_exceptions=[StaleElementReferenceException]).until(
            lambda _: test(), f"waited in vain for: {what}"
        )

    def text(self) -> str:
        return self.driver.find_element(By.TAG_NAME, "body").text

    def sees(self, *texts: str) -> None:
        for text in texts:
            try:
                self.until(f"to see “{text}”", lambda text=text: text in self.text())
            except TimeoutException as error:
                raise AssertionError(f"waited in vain to see “{text}”; there is:\n{self.text()[-1500:]}") from error

    def sees_no_more(self, text: str) -> None:
        self.until(f"no longer to see “{text}”", lambda: text not in self.text())

    def find(self, name: str, within: str = "") -> WebElement:
        """A button, link or field by its name, as a screen reader says it."""
        scope = f'//*[@aria-label="{within}" or @id="{within}" or @data-line="{within}"]' if within else ""
        paths = (
            f'{scope}//button[normalize-space()="{name}" or @aria-label="{name}"]',
            f'{scope}//a[normalize-space()="{name}" or @aria-label="{name}"]',
            f'{scope}//*[@id=//label[starts-with(normalize-space(), "{name}")]/@for]',
            f'{scope}//input[@aria-label="{name}"]',
            f'{scope}//*[@role="menuitem"][normalize-space()="{name}"]',
            f'{scope}//label[normalize-space()="{name}"]//input',
        )

        def there() -> WebElement | None:
            for path in paths:
                for element in self.driver.find_elements(By.XPATH, path):
                    if element.is_displayed() or element.get_attribute("type") == "checkbox":
                        return element
            return None

        return self.until(f"something named “{name}”", there)  # type: ignore[return-value]

    def press(self, name: str, within: str = "") -> None:
        def pressed() -> bool:
            element = self.find(name, within)
            if not element.is_enabled():
                return False
            try:
                element.click()
            except (ElementClickInterceptedException, ElementNotInteractableException):
                self.driver.execute_script("arguments[0].click()", element)
            return True

        self.until(f"“{name}” to be pressed", pressed)

    def click(self, css: str) -> None:
        """Presses what has no name of its own, as soon as it is there and can be pressed."""

        def clicked() -> bool:
            found = self.driver.find_elements(By.CSS_SELECTOR, css)
            if not found:
                return False
            try:
                self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", found[0])
                found[0].click()
            except (ElementClickInterceptedException, ElementNotInteractableException):
                return False
            return True

        self.until(f"{css} to be pressed", clicked)

    def fill(self, name: str, text: str) -> None:
        field = self.find(name)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text or Keys.DELETE)

    def choose(self, name: str, option: str, within: str = "") -> None:
        field = self.find(name, within)
        path = f'.//option[starts-with(normalize-space(), "{option}")]'
        self.until(f"the option {option}", lambda: field.find_elements(By.XPATH, path))
        field.find_element(By.XPATH, path).click()

    def keys(self, *keys: str) -> None:
        webdriver.ActionChains(self.driver).send_keys(*keys).perform()

    def holding(self, modifier: str, key: str) -> None:
        webdriver.ActionChains(self.driver).key_down(modifier).send_keys(key).key_up(modifier).perform()

    def sign_in(self, name: str, password: str = "kestrel-demo") -> None:
        self.go("/sign-in")
        self.fill("Name or e-mail address", name)
        self.fill("Password", password)
        self.press("Sign in", within="page")
        # The evening's board, or for those who have nothing yet what to begin with.
        self.until("to be in", lambda: any(one in self.text() for one in ("My crews' packs", "Welcome aboard")))

    def join_code(self) -> str:
        """The first join code on the page."""
        found = self.until("a join code", lambda: re.findall(r"\b[0-9A-Z]{4}-[0-9A-Z]{4}\b", self.text()))
        return found[0]  # type: ignore[index]

    def picture(self, path: Path) -> None:
        # Fonts are loaded and nothing is fetched any more.
        self.until("fonts", lambda: self.driver.execute_script("return document.fonts.status") == "loaded")
        self.driver.save_screenshot(str(path))

    def complaints(self) -> list[str]:
        """What axe finds against WCAG 2.2 AA on the page as it is."""
        self.driver.execute_script(AXE.read_text())
        found = self.driver.execute_async_script(
            "const done = arguments[0];"
            "axe.run({runOnly: ['wcag2a','wcag2aa','wcag21a','wcag21aa','wcag22aa']}).then(r => done(JSON.stringify("
            "r.violations.map(v => v.id + ': ' + v.nodes.map(n => n.html.slice(0, 160) + ' ' + "
            "(n.failureSummary || '').slice(0, 200)).join(' | ')))))"
        )
        return json.loads(found)

    def script_errors(self) -> list[str]:
        """Errors of the page's own script; refusals of the site (4xx) are told on the page, and no fault of it."""
        logged = self.driver.get_log("browser")
        return [one["message"] for one in logged if one["level"] == "SEVERE" and "status of 4" not in one["message"]]
