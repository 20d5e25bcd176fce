"""Every example in the docs runs, and every command prints the output on the page."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
PAGES = sorted((ROOT / "docs").glob("*.md"))


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_examples_and_outputs_in_a_page_are_true(page: Path) -> None:
    done = subprocess.run([sys.executable, "tools/play_docs.py", str(page)], cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr


@pytest.mark.parametrize("page", [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *PAGES], ids=lambda page: page.name)
def test_every_link_leads_somewhere(page: Path) -> None:
    for target, anchor in re.findall(r"\]\((?!https?:)([^)#]*)(?:#([^)]*))?\)", page.read_text("utf-8")):
        file = (page.parent / target) if target else page
        assert file.exists(), target
        if anchor:
            titles = re.findall(r"^#+ (.*)$", file.read_text("utf-8"), re.M)
            assert anchor in {re.sub(r"[^\w\- ]", "", title).lower().replace(" ", "-") for title in titles}, anchor


def test_the_demo_is_formatted_and_the_texts_have_no_telltale_phrases() -> None:
    for call in ((sys.executable, "-m", "idlefox", "format", "--check", "src/idlefox/demo"), (sys.executable, "tools/phrases.py")):
        done = subprocess.run(call, cwd=ROOT, capture_output=True, text=True, check=False)
        assert done.returncode == 0, done.stdout + done.stderr
