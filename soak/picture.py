"""The soak's figures as one picture: how long acts take, how late beats come and what it costs, by number of stations."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape
from typing import Any

WIDTH, HEIGHT = 960, 420
PLOT = {"left": 70, "top": 60, "width": 250, "height": 230}
INK, QUIET, RULE, IRIS = "#171a26", "#5f6370", "#ddd5c5", "#5a49d6"
PANELS = (
    ("Act to acknowledged, 99 of 100", "acknowledged_p99_ms", "ms", 100.0),
    ("Beat late by, 99 of 100", "late_p99_ms", "ms", 50.0),
    ("Cores used by the server", "cores", "", None),
)


def draw(results: dict[str, Any]) -> str:
    """The picture as SVG."""
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" font-family="sans-serif" font-size="12">',
        f'<rect width="{WIDTH}" height="{HEIGHT}" fill="#faf7f0"/>',
        f'<text x="20" y="28" font-size="16" font-weight="bold" fill="{INK}">The soak: stations flying at once</text>',
    ]
    for number, (title, name, unit, aim) in enumerate(PANELS):
        parts += _panel(20 + number * 310, title, [_figure(row, name) for row in results["load"]], results, unit, aim)
    parts += _foot(results)
    return "\n".join([*parts, "</svg>", ""])


def _figure(row: dict[str, Any], name: str) -> float:
    return float(row["late_ms"][name] if name.startswith("late") else row[name])


def _panel(
    x: float, title: str, figures: Sequence[float], results: dict[str, Any], unit: str, aim: float | None
) -> list[str]:
    rows = results["load"]
    most_stations = max(row["stations"] for row in rows)
    most = 1.15 * max(*figures, aim or 0.0)
    left, foot = x + 44, PLOT["top"] + PLOT["height"]

    def place(stations: float, figure: float) -> tuple[float, float]:
        return left + (PLOT["width"] - 20) * stations / most_stations, foot - PLOT["height"] * figure / most

    parts = [f'<text x="{x}" y="{PLOT["top"] - 10}" font-weight="bold" fill="{INK}">{escape(title)}</text>']
    parts.append(f'<path d="M{left} {PLOT["top"]}V{foot}H{left + PLOT["width"]}" fill="none" stroke="{INK}"/>')
    for share in (0.0, 0.5, 1.0):
        y = foot - PLOT["height"] * share / 1.15
        parts.append(
            f'<text x="{left - 6}" y="{y + 4:.1f}" text-anchor="end" fill="{QUIET}">{most * share / 1.15:.3g}</text>'
        )
    if aim is not None:
        y = place(0, aim)[1]
        parts.append(f'<path d="M{left} {y:.1f}h{PLOT["width"]}" stroke="{QUIET}" stroke-dasharray="4 3"/>')
        parts.append(
            f'<text x="{left + PLOT["width"]}" y="{y - 5:.1f}" text-anchor="end" fill="{QUIET}">aim {aim:g} {unit}</text>'
        )
    for workers, dash in ((1, ""), (2, ' stroke-dasharray="7 4"')):
        points = [place(r["stations"], f) for r, f in zip(rows, figures, strict=True) if r["workers"] == workers]
        line = "L".join(f"{a:.1f} {b:.1f}" for a, b in points)
        parts.append(f'<path d="M{line}" fill="none" stroke="{IRIS}" stroke-width="2"{dash}/>')
        parts += [f'<circle cx="{a:.1f}" cy="{b:.1f}" r="3" fill="{IRIS}"/>' for a, b in points]
    for stations in sorted({row["stations"] for row in rows}):
        at = place(stations, 0)[0]
        parts.append(f'<text x="{at:.1f}" y="{foot + 16}" text-anchor="middle" fill="{QUIET}">{stations}</text>')
    return parts


def _foot(results: dict[str, Any]) -> list[str]:
    kills, storms, fuzzed = results["kills"], results["storm"], results["fuzz"]
    lines = [
        "Solid: one process. Dashed: two processes fly the runs, a third is their front. All on two cores, with the stations.",
        f"{sum(k['kills'] for k in kills)} kills with {sum(k['acknowledged'] for k in kills):,} acknowledged acts: "
        f"{sum(k['lost'] for k in kills)} lost, {sum(k['twice'] for k in kills)} twice.",
        f"{sum(s['links_broken'] for s in storms):,} links broken while acts were being stored: {sum(s['lost'] for s in storms)} lost.",
        f"{fuzzed['tries']:,} tries of the fuzzer: {fuzzed['wrong']} errors of the server's own; memory grew by "
        f"{fuzzed['megabytes_grown']:g} MB.",
    ]
    return [f'<text x="20" y="{340 + 20 * n}" fill="{INK}">{escape(line)}</text>' for n, line in enumerate(lines)]
