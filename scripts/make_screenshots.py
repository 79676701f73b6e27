"""Makes the pictures of docs/screenshots anew from the demo data.

Needs Xvfb, xterm, ImageMagick's `import` and Chromium with its driver (Debian: xvfb xterm imagemagick chromium
chromium-driver). Run: make screenshots
"""

from __future__ import annotations

import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

SHOTS = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
PROGRAM = Path(sys.executable).with_name("milepost")
BOTH = "logs next --course-to next/course.toml"
TERMINAL = {"check-terminal": "check", "targets-terminal": "targets"}
FIGURES = {
    "funnel": "funnel",
    "spikes": "spikes",
    "deaths": "deaths",
    "moves": "moves",
    "level": "level Low\\ Arch",
    "trace-all": "trace --all",
    "attempts": "attempts",
    "times": "times",
    "answers": "answers",
    "compare": f"compare {BOTH}",
    "trend": "trend logs next",
    "runs": "runs ../race/logs --course ../race/course.toml --no-folder",
    "power": "power --change 1",
    "knobs": "knobs",
    "sections": "sections --level Salt\\ Dock ../docks/logs --course ../docks/course.toml --no-folder",
    "whatif": "whatif --set 'Low Arch.target_clear=0.75' --set 'Glass Basin.target_clear=0.7'",
}
SCREEN, DISPLAY = "1280x800x24", ":97"
PAGES = {"report": (1280, 800, "light")}
# The page's switches: no window, nothing asked of the network.
BROWSER = (
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-sync",
    "--hide-scrollbars",
)
PATIENCE = 30.0  # seconds for one command
BLANK = 5000  # bytes; a picture of an empty screen has fewer


def main() -> None:
    """Draw the figures, then photograph every command in a terminal window, and the report in a browser."""
    for tool in ("Xvfb", "xterm", "import", "chromium", "chromedriver"):
        if shutil.which(tool) is None:
            sys.exit(f"{tool} is not installed; the screenshots need xvfb, xterm, imagemagick, chromium and chromium-driver.")
    for old in SHOTS.glob("*.png"):
        old.unlink()
    with tempfile.TemporaryDirectory() as folder:
        run(folder, "demo --output wickwater")
        run(folder, "demo --which race")
        run(folder, "demo --which docks")
        folder = f"{folder}/wickwater"
        for name, words in FIGURES.items():
            run(folder, f"{words} --figure {SHOTS / name}.png")
        with subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", SCREEN], stderr=subprocess.DEVNULL) as screen:
            try:
                for name, words in TERMINAL.items():
                    photograph(folder, name, words)
            finally:
                screen.terminate()
        run(folder, "report -o report.html")
        photograph_pages(Path(folder) / "report.html")


def run(folder: str, words: str) -> None:
    """Run one command in the folder."""
    subprocess.run([PROGRAM, *shlex.split(words)], cwd=folder, check=True, stdout=subprocess.DEVNULL)


def photograph(folder: str, name: str, words: str) -> None:
    """Show one command in a terminal window and keep a picture of it."""
    done = Path(folder) / f"{name}.done"
    script = (
        f"clear; printf '$ milepost %s\\n' {shlex.quote(words)}; {shlex.quote(str(PROGRAM))} {words}; "
        f"touch {shlex.quote(str(done))}; sleep {PATIENCE}"
    )
    window = ["xterm", "-fa", "DejaVu Sans Mono", "-fs", "10", "-geometry", "158x47+0+0", "-bg", "#fdfcf8", "-fg", "#1d2a33"]
    environment = {**os.environ, "DISPLAY": DISPLAY, "LANG": "C.UTF-8", "LC_ALL": "C.UTF-8"}
    environment.pop("COLUMNS", None)
    command = [*window, "-e", "sh", "-c", script]
    with subprocess.Popen(command, cwd=folder, env=environment, stderr=subprocess.DEVNULL) as shown:
        deadline = time.monotonic() + PATIENCE
        while not done.exists() and time.monotonic() < deadline:
            time.sleep(0.1)
        picture = SHOTS / f"{name}.png"
        while not picture.exists() or picture.stat().st_size < BLANK:  # the window draws after the command ends
            if time.monotonic() > deadline:
                sys.exit(f"The terminal of {name} stays dark. Run this again, with less beside it.")
            time.sleep(0.6)
            subprocess.run(["import", "-window", "root", str(picture)], env=environment, check=True)
        shown.terminate()


def photograph_pages(page: Path) -> None:
    """Show the report in a browser."""
    from selenium import webdriver
    from selenium.webdriver.chrome.service import Service

    options = webdriver.ChromeOptions()
    options.binary_location = str(shutil.which("chromium"))
    for switch in BROWSER:
        options.add_argument(switch)
    driver = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
    try:
        for name, (width, height, scheme) in PAGES.items():
            size = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
            driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
            scheme_wanted = {"features": [{"name": "prefers-color-scheme", "value": scheme}]}
            driver.execute_cdp_cmd("Emulation.setEmulatedMedia", scheme_wanted)
            driver.get(page.as_uri())
            driver.save_screenshot(str(SHOTS / f"{name}.png"))
    finally:
        driver.quit()


if __name__ == "__main__":
    main()
