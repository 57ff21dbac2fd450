#!/usr/bin/python3
"""Writes the moves and builds of docs/build.md: what is proposed for four cues of the demo from the empty patch, and how what a search finds is told.

Usage: bench/build_page.py CLI [--seconds 20]    (from the source folder; takes some minutes)
"""
import argparse
import pathlib
import subprocess
import tempfile

CUES = (("airlock", "Airlock"), ("comet-tail-echoes", "Comet Tail, with echoes"), ("ring-nebula", "Ring Nebula"), ("beacon", "Beacon"))
BEGIN, END = "<!-- demo -->\n", "<!-- end of demo -->"


def run(*words):
    return subprocess.run([str(w) for w in words], capture_output=True, text=True, check=True).stdout


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("cli")
    parser.add_argument("--seconds", default="20")
    options = parser.parse_args()
    root = pathlib.Path(__file__).resolve().parent.parent
    text = ""
    with tempfile.TemporaryDirectory() as folder:
        for name, title in CUES:
            reference, notes = root / "demo" / f"{name}.flac", root / "demo" / f"{name}.mid"
            moves = run(options.cli, "moves", reference, "--notes", notes)
            found = pathlib.Path(folder) / name
            run(options.cli, "match", reference, "--notes", notes, "--out", found, "--seconds", options.seconds)
            build = run(options.cli, "build", reference, "--performance", found / "performance.json", "--patch", found / "patch.json")
            text += f"### {title}\nNext moves from the empty patch:\n```\n{moves.rstrip()}\n```\nThe build of what a search of {options.seconds} s found:\n```\n{build.rstrip()}\n```\n\n"
    page = root / "docs/build.md"
    old = page.read_text()
    page.write_text(old[: old.index(BEGIN) + len(BEGIN)] + text + old[old.index(END):])


if __name__ == "__main__":
    main()
