"""The report's page as a browser shows it: silent, sealed, usable by keyboard, sortable, and wide enough."""

import json

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from reports.page import browser
from reports.test_report import DEMO, hostile_log


@pytest.fixture(scope="module")
def page(wickwater):
    """The demo's report."""
    assert wickwater("report", *DEMO, "-o", "seen.html").returncode == 0
    return wickwater.folder / "seen.html"


def requests(driver):
    """All addresses that were asked for."""
    messages = [json.loads(entry["message"])["message"] for entry in driver.get_log("performance")]
    return [m["params"]["request"]["url"] for m in messages if m["method"] == "Network.requestWillBeSent"]


def test_silent_and_sealed(page):
    """No complaint on the console, and no request but for the page itself."""
    with browser(page) as driver:
        assert driver.get_log("browser") == []
        assert requests(driver) == [page.as_uri()]


@pytest.mark.parametrize("width", [400, 1280])
def test_it_fits(page, width):
    """Nothing but tables and pictures in their frames is wider than the window, also with a level open."""
    with browser(page, width, dark=width == 400) as driver:
        driver.execute_script("for (const one of document.querySelectorAll('details')) one.open = true")
        assert driver.execute_script("return document.documentElement.scrollWidth") <= width


def test_by_keyboard(page):
    """A level unfolds and folds by keyboard."""
    with browser(page) as driver:
        level = driver.find_element(By.ID, "level-6")
        summary = level.find_element(By.TAG_NAME, "summary")
        assert "Deaths by tenths" not in level.text
        summary.send_keys(Keys.ENTER)
        assert "Deaths by tenths" in level.text
        summary.send_keys(Keys.ENTER)
        assert "Deaths by tenths" not in level.text


def test_the_first_screen(page):
    """At 1280 by 800 what to fix stands beside a picture of the course, above the fold; its levels lead to their parts."""
    with browser(page) as driver:
        picture, told = driver.find_element(By.CSS_SELECTOR, "#first svg"), driver.find_element(By.CSS_SELECTOR, ".first ol")
        assert picture.rect["y"] + picture.rect["height"] <= 800 and told.rect["y"] + told.rect["height"] <= 800
        assert told.rect["x"] + told.rect["width"] <= picture.rect["x"] and len(told.find_elements(By.TAG_NAME, "li")) == 3
        level = driver.find_element(By.ID, "level-15")
        assert not level.get_attribute("open")
        next(one for one in driver.find_elements(By.CSS_SELECTOR, "#first a text") if one.text == "Glass Basin").click()
        assert driver.current_url.endswith("#level-15")
        assert level.get_attribute("open") and driver.get_log("browser") == []


def test_finding_levels(page):
    """The list is searched by name, and filtered by chapter and verdict, and says how many are left."""
    with browser(page) as driver:
        shown = lambda: [one.text for one in driver.find_elements(By.CSS_SELECTOR, ".level summary .c1") if one.is_displayed()]  # noqa: E731
        name = driver.find_element(By.ID, "find-name")
        name.send_keys("steps")
        assert shown() == ["Salt Steps", "Ferry Steps"] and driver.find_element(By.ID, "found").text == "2 of 24 levels"
        name.clear()
        driver.find_element(By.ID, "find-kind").send_keys("stands out")
        assert shown() == ["Low Arch", "Glass Basin", "Salt Steps", "Drowned Orchard"]
        driver.find_element(By.ID, "find-chapter").send_keys("Tidal")
        assert shown() == ["Salt Steps", "Drowned Orchard"]
        assert [one.get_attribute("textContent") for one in driver.find_elements(By.CSS_SELECTOR, ".stands summary b")] == [
            "▲ spike, strong",
            "▲ spike, strong",
            "▶ step, strong",
            "▼ dip, strong",
        ]


def test_sorting(page):
    """Tables and the list of levels sort by their figures, up and then down, and say so."""
    with browser(page) as driver:
        heads = driver.find_elements(By.CSS_SELECTOR, ".level-head span")
        lost = next(head for head in heads if head.text.startswith("lost"))
        button = lost.find_element(By.TAG_NAME, "button")
        button.click()
        button.click()
        assert lost.get_attribute("aria-sort") == "descending"
        names = [one.text for one in driver.find_elements(By.CSS_SELECTOR, ".level summary .c1")]
        assert names[0] == "Low Arch" and len(names) == 24
        driver.execute_script("document.querySelector('#times details').open = true")
        table = driver.find_element(By.CSS_SELECTOR, "#times table")
        button = table.find_elements(By.CSS_SELECTOR, "th button")[5]
        assert button.text.startswith("50 %")
        button.send_keys(Keys.ENTER)
        assert table.find_elements(By.CSS_SELECTOR, "tbody tr td")[0].text == "Mill Pond"
        button.send_keys(Keys.ENTER)
        assert table.find_elements(By.CSS_SELECTOR, "tbody tr td")[0].text == "Harbour Light"


def test_hostile_names_do_nothing(milepost):
    """A page full of hostile names opens without a dialog, a complaint or a request."""
    milepost.write("log.jsonl", hostile_log())
    assert milepost("report", "log.jsonl", "-o", "r.html").returncode == 0
    with browser(milepost.folder / "r.html") as driver:
        assert driver.get_log("browser") == []
        assert len(requests(driver)) == 1
        assert "alert" in driver.find_element(By.TAG_NAME, "body").text
