"""Every #include between folders follows the table of docs/architecture.md, and Qt begins at app/."""
import os
import pathlib
import re
import sys

ROOT = pathlib.Path(os.environ.get("FACET_SOURCE", pathlib.Path(__file__).resolve().parent.parent))


def table():
    allowed = {}
    for line in (ROOT / "docs/architecture.md").read_text().splitlines():
        row = re.match(r"\| `([\w/]+)/?` \|.*\| ([^|]*) \|$", line)
        if row:
            allowed[row.group(1).rstrip("/")] = {word.strip().strip("`") for word in row.group(2).split(",")}
    return allowed


def folder_of(path, allowed):
    """The deepest folder of the table that a file lies in; its own folder where the table has none."""
    parts = pathlib.Path(path).parts[:-1]
    for depth in range(len(parts), 0, -1):
        if "/".join(parts[:depth]) in allowed:
            return "/".join(parts[:depth])
    return "/".join(parts[:2])


def may_include(here, name, allowed):
    """Whether a file in folder `here` may include `name`: its own row, or that of a folder around it, must say so."""
    there = "/".join(pathlib.Path(name).parts[:-1])
    if there == here or there.startswith(here + "/"):
        return True
    around = here
    while around in allowed:
        for entry in allowed[around] - {""}:
            if name == entry or there == entry or there.startswith(entry + "/"):
                return True
        around = around.rpartition("/")[0]
    return False


def main():
    allowed = table()
    problems = []
    seen = set()
    for path in sorted(ROOT.glob("core/**/*")) + sorted(ROOT.glob("app/**/*")) + sorted(ROOT.glob("cli/*")):
        if path.suffix not in (".h", ".cpp"):
            continue
        relative = path.relative_to(ROOT)
        here = folder_of(relative, allowed)
        seen.add(here)
        if here not in allowed:
            problems.append(f"{here} is not in the table")
            continue
        for include in re.findall(r'#\s*include\s+([<"].*[>"])', path.read_text()):
            name = include[1:-1]
            if re.fullmatch(r"\"moc_\w+\.cpp\"", include):
                continue  # what Qt makes of the file itself
            if include[0] == '"':
                if not may_include(here, name, allowed):
                    problems.append(f"{relative} includes {name}")
            elif not str(relative).startswith("app/") and (re.match(r"Q[A-Z]", name) or name == "qcustomplot.h"):
                problems.append(f"{relative} includes Qt: {name}")
            elif here.startswith("app/session") and name in ("QWidget", "QApplication", "QMessageBox", "QDialog"):
                problems.append(f"{relative} includes a widget: {name}")
    for problem in sorted(set(problems)):
        print(problem)
    if len(seen) < 30:
        problems.append("too few folders were found; was the right tree read?")
        print(problems[-1])
    return 1 if problems else 0


if __name__ == "__main__":
    sys.exit(main())
