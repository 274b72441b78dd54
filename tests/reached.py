"""How much of each package the tests reach, in lines and branches: `script/test --coverage` prints it at its end."""

import json
import subprocess
import sys
import tempfile
from collections import defaultdict
from pathlib import Path

ROOT = Path(__file__).parent.parent
KINDS = ("num_statements", "missing_lines", "num_branches", "missing_branches")


def main() -> None:
    """Print a table by package, and the modules that are reached least."""
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "coverage.json"
        subprocess.run([sys.executable, "-m", "coverage", "json", "-q", "-o", str(out)], check=True, cwd=ROOT)
        files = json.loads(out.read_text())["files"]
    packages: dict[str, list[int]] = defaultdict(lambda: [0] * len(KINDS))
    modules: list[tuple[float, str]] = []
    for name, told in files.items():
        parts = Path(name).parts
        package = "/".join(parts[2:-1][:2]) or parts[-1]
        counts = [told["summary"].get(kind, 0) for kind in KINDS]
        packages[package] = [a + b for a, b in zip(packages[package], counts, strict=True)]
        modules.append((share(counts), name))
    print(f"{'package':32}{'statements':>12}{'reached':>10}{'branches':>10}{'reached':>10}")
    for package, counts in sorted(packages.items()):
        print(line(package, counts))
    total = [sum(column) for column in zip(*packages.values(), strict=True)]
    print(line("all", total))
    print("\nReached least:")
    for part, name in sorted(modules)[:12]:
        print(f"  {part:5.1f} %  {name}")


def share(counts: list[int]) -> float:
    """Statements and branches that were reached, of all, %."""
    whole = counts[0] + counts[2]
    return 100.0 * (whole - counts[1] - counts[3]) / whole if whole else 100.0


def line(name: str, counts: list[int]) -> str:
    """One row of the table."""
    statements = 100.0 * (counts[0] - counts[1]) / counts[0] if counts[0] else 100.0
    branches = 100.0 * (counts[2] - counts[3]) / counts[2] if counts[2] else 100.0
    return f"{name:32}{counts[0]:>12}{statements:>9.1f}%{counts[2]:>10}{branches:>9.1f}%"


if __name__ == "__main__":
    main()
