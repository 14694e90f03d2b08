"""What turns templates into pages."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

TEMPLATES = Path(__file__).parents[2] / "src" / "lumenstat" / "web" / "templates"
TAG = re.compile(r"<[a-z](?:\{\{.*?\}\}|\{%.*?%\}|\"[^\"]*\"|[^>\"])*>", re.DOTALL)


@pytest.mark.parametrize("template", sorted(TEMPLATES.rglob("*.html")), ids=lambda path: path.stem)
def test_no_two_attributes_become_one(template: Path) -> None:
    """A line break after a block and the indentation before the next are not rendered: `{{ "x" if y }}` keeps them apart."""
    glued = [tag for tag in TAG.findall(template.read_text(encoding="utf-8")) if re.search(r"%\}\n\s*\{%", tag)]
    assert glued == []
