"""Draw docs/architecture.svg from the imports: layers and rooms of the core, an arrow where six imports or more go.

python tools/draw_architecture.py            # draws it
python tools/draw_architecture.py --check    # exits 1 where the drawing is not up to date
"""

from __future__ import annotations

import ast
import sys
from collections import Counter
from pathlib import Path

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "ductus"
DRAWING = ROOT / "docs" / "architecture.svg"
# From above to below: what stands higher imports what stands lower.
ROWS = (
    ("cli", "web"),
    ("demo", "app"),
    ("engraving", "store"),
    ("formats",),
    ("core.prompt", "core.recording"),
    ("core.entry", "core.playback"),
    ("core.reading", "core.comparison"),
    ("core.capture", "core.notation"),
    ("core.score",),
    ("core.pitch", "core.time"),
)
FEW = 6  # imports: fewer are not drawn
WIDTH, ROW, BOX, HIGH, TOP = 880, 78, 220, 40, 30


def home_of(module: str) -> str | None:
    """The box of a module: "app", "core.reading"; None for what has none."""
    parts = module.split(".")
    if parts[0] != "ductus" or len(parts) < 2:
        return None
    name = ".".join(parts[1:3]) if parts[1] == "core" else parts[1]
    return name if any(name in row for row in ROWS) else None


def counted() -> tuple[Counter[tuple[str, str]], Counter[str]]:
    """How often modules of one box import those of another; lines of each box."""
    arrows: Counter[tuple[str, str]] = Counter()
    lines: Counter[str] = Counter()
    for path in SOURCE.rglob("*.py"):
        module = ".".join(("ductus", *path.relative_to(SOURCE).with_suffix("").parts))
        here = home_of(module)
        if here is None:
            continue
        text = path.read_text(encoding="utf-8")
        lines[here] += text.count("\n")
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.ImportFrom) and node.module:
                there = home_of(node.module)
                if there is not None and there != here:
                    arrows[here, there] += 1
    return arrows, lines


def places() -> dict[str, tuple[float, float]]:
    """The middle of each box."""
    out = {}
    for k, row in enumerate(ROWS):
        for i, name in enumerate(row):
            out[name] = (WIDTH * (i + 1) / (len(row) + 1) + (k % 2) * 40 - 20, TOP + ROW * k + HIGH / 2)
    return out


def drawn() -> str:
    """The drawing."""
    arrows, lines = counted()
    at = places()
    high = TOP + ROW * len(ROWS)
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {high}" font-family="sans-serif">',
        "<title>Rooms of Ductus and what they import</title>",
        '<defs><marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="9" markerHeight="9" '
        'markerUnits="userSpaceOnUse" orient="auto">'
        '<path d="M0 0 8 4 0 8z" fill="#5b6b7f"/></marker></defs>',
        f'<rect width="{WIDTH}" height="{high}" fill="#fbf8f1"/>',
    ]
    for (here, there), count in sorted(arrows.items()):
        if count < FEW:
            continue
        (x1, y1), (x2, y2) = at[here], at[there]
        down = 1 if y2 >= y1 else -1
        out.append(
            f'<path d="M{x1:.0f} {y1 + down * HIGH / 2:.0f}L{x2:.0f} {y2 - down * (HIGH / 2 + 3):.0f}" '
            f'stroke="#5b6b7f" stroke-opacity=".45" stroke-width="{min(0.6 + count / 40, 4):.1f}" '
            f'marker-end="url(#tip)"><title>{here} imports {there} {count} times</title></path>'
        )
    for name, (x, y) in at.items():
        fill = "#e9eef4" if name.startswith("core") else "#f6e6dd"
        out.append(
            f'<rect x="{x - BOX / 2:.0f}" y="{y - HIGH / 2:.0f}" width="{BOX}" height="{HIGH}" rx="4" fill="{fill}" '
            f'stroke="#1f2a3a"/><text x="{x:.0f}" y="{y + 5:.0f}" text-anchor="middle" font-size="15" '
            f'fill="#1f2a3a">{name} <tspan fill="#5b6b7f" font-size="11">{round(lines[name], -2):,} lines</tspan>'
            "</text>"
        )
    return "\n".join([*out, "</svg>", ""])


def main() -> int:
    """Draw or check."""
    fresh = drawn()
    if "--check" in sys.argv:
        return int(not DRAWING.exists() or DRAWING.read_text(encoding="utf-8") != fresh)
    DRAWING.write_text(fresh, encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
