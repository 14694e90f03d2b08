"""Contrast of words in drawings, which the checker of pages does not look at.

Source: the formula of WCAG 2.2, success criterion 1.4.3: 4.5:1, and 3:1 for large words (24 px, or bold from 18.66 px).
"""

from __future__ import annotations

from typing import Any

from playwright.sync_api import Page

FORMULA = """
const channel = (c) => { const v = c / 255; return v <= .04045 ? v / 12.92 : ((v + .055) / 1.055) ** 2.4; };
const light = ([r, g, b]) => .2126 * channel(r) + .7152 * channel(g) + .0722 * channel(b);
const ratioOf = (a, b) => { const [high, low] = [light(a), light(b)].sort((x, y) => y - x); return (high + .05) / (low + .05); };
const parts = (text) => text.match(/[\\d.]+/g).map(Number);
const over = (front, alpha, back) => front.slice(0, 3).map((c, n) => c * alpha + back[n] * (1 - alpha));
"""

LABELS_OF_ZONES = f"""() => {{
  {FORMULA}
  // A lit zone is lightest at its head.
  const ground = (zone) => zone.dataset.power === 'dead' ? parts(getComputedStyle(zone).backgroundColor) : [58, 54, 54];
  return [...document.querySelectorAll('.zone .control text, .zone .name, .zone .zone-name, .zone .zone-volts')].filter(e => e.checkVisibility())
    .map((element) => {{
      const style = getComputedStyle(element), back = ground(element.closest('.zone'));
      const shown = over(parts(element.tagName === 'text' ? style.fill : style.color), Number(style.opacity), back);
      return {{ words: element.textContent.trim(), ratio: ratioOf(shown, back) }};
    }}).filter(({{ ratio }}) => ratio < 4.5);
}}"""
"""Labels of the deck under 4.5:1."""

WORDS_IN_DRAWINGS = f"""() => {{
  {FORMULA}
  const everything = new CSSStyleSheet();
  everything.replaceSync('* {{ pointer-events: auto !important; }}');
  document.adoptedStyleSheets = [everything];
  const opacityOf = (e) => {{ let all = 1; for (; e instanceof Element; e = e.parentElement) all *= Number(getComputedStyle(e).opacity); return all; }};
  const paint = (e) => {{
    const style = getComputedStyle(e);
    const shape = e instanceof SVGElement && !(e instanceof SVGSVGElement);
    if (shape && !(e instanceof SVGGeometryElement)) return null;
    const colour = shape ? style.fill : style.backgroundColor;
    if (colour === 'none' || colour.startsWith('url')) return null;
    const [r, g, b, a = 1] = parts(colour);
    return {{ colour: [r, g, b], alpha: a * (shape ? Number(style.fillOpacity) : 1) * opacityOf(e) }};
  }};
  const under = (text) => {{
    const box = text.getBoundingClientRect(), layers = [];
    const stack = document.elementsFromPoint(box.x + box.width / 2, box.y + box.height / 2);
    const place = stack.findIndex((e) => text.contains(e));
    if (place < 0 || stack.slice(0, place).some((e) => (paint(e)?.alpha ?? 0) >= 1)) return null; // a dialog covers it
    for (const e of stack.slice(place + 1)) {{
      const found = paint(e);
      if (found && found.alpha > 0) layers.push(found);
      if (found && found.alpha >= 1) break;
    }}
    return layers.reverse().reduce((back, {{ colour, alpha }}) => over(colour, alpha, back), [255, 255, 255]);
  }};
  const found = [...document.querySelectorAll('svg text')].filter((e) => e.checkVisibility() && e.textContent.trim()).flatMap((text) => {{
    text.scrollIntoView({{ block: 'center', inline: 'center' }});
    const style = getComputedStyle(text), back = under(text), size = parseFloat(style.fontSize);
    if (back === null) return [];
    const shown = over(parts(style.fill), Number(style.fillOpacity) * opacityOf(text), back);
    const large = size >= 24 || (size >= 18.66 && Number(style.fontWeight) >= 700);
    return [{{ words: text.textContent.trim(), ratio: Math.round(100 * ratioOf(shown, back)) / 100, large, back, shown }}];
  }});
  document.adoptedStyleSheets = [];
  return {{ count: found.length, faint: found.filter(({{ ratio, large }}) => ratio < (large ? 3 : 4.5)) }};
}}"""


def faint_words(page: Page) -> tuple[int, list[Any]]:
    """How many words the drawings of a page have, and those of them that are too faint."""
    found: dict[str, Any] = page.evaluate(WORDS_IN_DRAWINGS)
    return found["count"], found["faint"]
