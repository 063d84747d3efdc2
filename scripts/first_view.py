"""Words and controls of each screen on first view: ``python -m scripts.first_view ADDRESS``.

Counted in the main column and on the right, without the top bar, the drums' strip, drawings, the
options of lists and what is folded. The budget is interface.md's: 160 words and 18 controls at a
desk, 120 and 12 on a phone. ADDRESS is a running Emblar with the demo.
"""

import sys

from playwright.sync_api import Page, sync_playwright

from scripts.screenshots import FLAGS

SCREENS = {
    "Sessions": "/",
    "Brief": "/sessions/1/brief",
    "Listen": "/sessions/1/listen?sel=tom-1",
    "Kit": "/sessions/1/kit?sel=d1",
    "Plan": "/sessions/1/plan?sel=d1",
    "Ways": "/sessions/1/plan/ways?sel=d1",
    "Bench": "/sessions/1/bench?sel=d1",
    "Match": "/sessions/3/match?sel=d12",
    "Sheet": "/sessions/1/sheet",
    "Evening": "/sessions/1/evening",
    "Setlist": "/setlist",
    "Log": "/log",
    "Shelf": "/shelf",
    "Practice": "/practice",
}
SIZES = {"desk": (1280, 800), "phone": (390, 844)}
COUNT = """() => {
  const LEFT_OUT = "svg, select, script, style, noscript, kbd";
  const roots = [...document.querySelectorAll("main, aside.why")];
  const shown = (e) => e.checkVisibility({ visibilityProperty: true, contentVisibilityAuto: true });
  let words = 0;
  for (const root of roots) {
    const walk = document.createTreeWalker(root, NodeFilter.SHOW_TEXT);
    for (let node = walk.nextNode(); node; node = walk.nextNode()) {
      const parent = node.parentElement;
      if (!parent || parent.closest(LEFT_OUT) || !shown(parent)) continue;
      words += node.data.trim().split(/\\s+/).filter((word) => /[\\p{L}\\p{N}]/u.test(word)).length;
    }
  }
  const kinds = "a[href], button, input:not([type=hidden]), select, textarea, summary";
  const controls = roots.flatMap((root) => [...root.querySelectorAll(kinds)]);
  return [words, controls.filter((one) => !one.closest("svg") && shown(one)).length];
}"""


def counted(page: Page, address: str) -> tuple[int, int]:
    """Return words and controls of a page on first view."""
    page.goto(address)
    page.wait_for_load_state("networkidle")
    words, controls = page.evaluate(COUNT)
    return int(words), int(controls)


def main() -> None:
    """Print a table; the address of a running Emblar is the argument."""
    base = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8000"
    rows: dict[str, list[int]] = {name: [] for name in SCREENS}
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        for width, height in SIZES.values():
            page = browser.new_page(viewport={"width": width, "height": height})
            for name, path in SCREENS.items():
                rows[name] += counted(page, base + path)
        browser.close()
    print("| screen | desk words | controls | phone words | controls |\n|---|---|---|---|---|")
    for name, row in rows.items():
        print(f"| {name} | {' | '.join(map(str, row))} |")


if __name__ == "__main__":
    main()
