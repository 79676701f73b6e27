"""Makes the pictures of docs/screenshots anew from the demo data.

Needs Xvfb, xterm and ImageMagick's `import` (Debian: xvfb xterm imagemagick). Run: make screenshots
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
ON_DEMO = "wickwater/logs --course wickwater/course.toml"
TERMINAL = {
    "check-terminal": f"check {ON_DEMO}",
    "funnel-terminal": f"funnel {ON_DEMO}",
    "level-terminal": f"level Low\\ Arch {ON_DEMO}",
    "trace-terminal": f"trace maud-wick-1 {ON_DEMO}",
    "groups-terminal": f"funnel {ON_DEMO} --by role",
    "attempts-terminal": f"attempts {ON_DEMO}",
    "times-terminal": f"times {ON_DEMO}",
    "spikes-terminal": f"spikes {ON_DEMO}",
}
FIGURES = {
    "funnel": f"funnel {ON_DEMO}",
    "spikes": f"spikes {ON_DEMO}",
    "deaths": f"deaths {ON_DEMO}",
    "moves": f"moves {ON_DEMO}",
    "level": f"level Low\\ Arch {ON_DEMO}",
    "trace-all": f"trace --all {ON_DEMO}",
}
SCREEN, DISPLAY = "1280x800x24", ":97"
PATIENCE = 30.0  # seconds for one command


def main() -> None:
    """Draw the figures, then photograph every command in a terminal window."""
    for tool in ("Xvfb", "xterm", "import"):
        if shutil.which(tool) is None:
            sys.exit(f"{tool} is not installed; the screenshots need xvfb, xterm and imagemagick.")
    with tempfile.TemporaryDirectory() as folder:
        run(folder, "demo --output wickwater")
        for name, words in FIGURES.items():
            run(folder, f"{words} --figure {SHOTS / name}.png")
        with subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", SCREEN], stderr=subprocess.DEVNULL) as screen:
            try:
                for name, words in TERMINAL.items():
                    photograph(folder, name, words)
            finally:
                screen.terminate()


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
        time.sleep(0.6)  # the window draws after the command ends
        subprocess.run(["import", "-window", "root", str(SHOTS / f"{name}.png")], env=environment, check=True)
        shown.terminate()


if __name__ == "__main__":
    main()
