"""The report's page taken apart, and opened in a browser."""

import atexit
import os
import shutil
from contextlib import contextmanager
from functools import cache
from html.parser import HTMLParser

import pytest

SWITCHES = (
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
)
VOID = {"meta", "br", "link", "img", "input", "hr"}


class Page(HTMLParser):
    """Elements with their attributes, and tables by the figure or heading that they stand under."""

    def __init__(self, text):
        super().__init__()
        self.elements, self.tables, self.open = [], {}, []
        self.where, self.cell, self.text = None, None, []
        self.feed(text)
        self.close()

    def handle_starttag(self, tag, attrs):
        attrs = dict(attrs)
        self.elements.append((tag, attrs))
        if tag not in VOID:
            self.open.append(tag)
        if tag in ("figure", "section") or "level" in attrs.get("class", "").split():
            self.where = attrs.get("id", self.where)
        if tag == "table":
            self.tables.setdefault(self.where, []).append([])
        elif tag == "tr":
            self.tables[self.where][-1].append([])
        elif tag in ("td", "th"):
            self.cell = []

    def handle_endtag(self, tag):
        if self.open and self.open[-1] == tag:
            self.open.pop()
        if tag in ("td", "th"):
            self.tables[self.where][-1][-1].append("".join(self.cell))
            self.cell = None

    def handle_data(self, data):
        if self.cell is not None:
            self.cell.append(data)
        if not self.open or self.open[-1] not in ("style", "script"):
            self.text.append(data)

    def columns(self, where, number=0):
        """A table as columns by heading."""
        head, *rows = self.tables[where][number]
        return {name: [row[place] for row in rows] for place, name in enumerate(head)}


@cache
def _driver():
    """Chromium, started once for all tests of this process."""
    from selenium import webdriver
    from selenium.webdriver.chrome.service import Service

    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium")
    options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
    for switch in SWITCHES:
        options.add_argument(switch)
    driver = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
    atexit.register(driver.quit)
    return driver


@contextmanager
def browser(path, width=1280, dark=False):
    """Chromium with a page open; what the page asked for and complained of is in its logs."""
    missing = not (shutil.which("chromium") and shutil.which("chromedriver"))
    if missing and os.environ.get("MILEPOST_BROWSER") != "required":
        pytest.skip("chromium and chromedriver are not installed")
    driver = _driver()
    scheme = {"name": "prefers-color-scheme", "value": "dark" if dark else "light"}
    driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": [scheme]})
    size = {"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": False}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    for log in ("browser", "performance"):
        driver.get_log(log)  # what pages before said is forgotten
    driver.get(path.as_uri())
    yield driver
    driver.get("about:blank")
