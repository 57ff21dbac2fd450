#!/usr/bin/python3
"""How much of a sound's construction a search has found: recall, precision and F1 of elements.

Usage: bench/construction/score.py CLI REFERENCES FOUND

REFERENCES holds ID.json with the elements a sound was made of (references.py); FOUND holds ID/patch.json and
ID/performance.json of a search. CLI is
facet-cli, whose `elements` says what the found patch is made of and what of it is heard. An element of the truth counts where leaving it out
changes the sound by LEAST_DB; the first source's wave always does. The two are compared as sets of words, once what stands for what (SAME) is put in its place.
"""
import concurrent.futures
import json
import pathlib
import statistics
import subprocess
import sys

LEAST_DB = 0.4  # of the references' own measure of change, about one likeness

# Ways of making the same sound, each word taken for the one it stands beside.
SAME = {
    "limiter": "compressor",  # both hold peaks down
    "second layer": "second source",  # two sources, whatever layer they stand in
    "late layer": "second source",
    "voice drive": "saturation",  # driven before or behind the level envelope
    "folded": "folding",
    "feedback fm": "saw",  # which it comes to
    "detuned sources": "stacked",  # a stack of two, or two sources
    "resonator": "comb",
    "sample": "partials",
    "wavetable": "partials",
    "gate": "tremolo",  # a level that goes up and down, in steps or not
}
# Over a single note an envelope goes as far as the phrase does.
SAME_IN_ONE_NOTE = {"filter opens": "filter envelope"}


def words(elements, notes):
    same = {**SAME, **SAME_IN_ONE_NOTE} if notes == 1 else SAME
    return {same.get(word, word) for word in elements}


def true_elements(truth):
    heard = []
    for each in truth["elements"]:
        change = each.get("change_db")
        if not change or max(change) >= LEAST_DB:
            heard.append(each["element"])
    return words(heard, len(truth["notes"]))


def found_elements(cli, folder, notes):
    """Of the patch as it plays the performance that was found with it, whose curves are part of the construction."""
    run = subprocess.run([cli, "elements", folder / "patch.json", "--performance", folder / "performance.json", "--threads", "1", "--json"], capture_output=True, text=True)
    if run.returncode:
        raise SystemExit(run.stderr)
    return words((e["element"] for e in json.loads(run.stdout)["elements"] if e["heard"]), notes)


def score(true, found):
    both = len(true & found)
    recall, precision = both / max(1, len(true)), both / max(1, len(found))
    return recall, precision, 2 * both / max(1, len(true) + len(found))


def main():
    cli, references, found = sys.argv[1], pathlib.Path(sys.argv[2]), pathlib.Path(sys.argv[3])
    names = [p.parent.name for p in sorted(found.glob("*/patch.json"))]

    def one(name):
        truth = json.loads((references / f"{name}.json").read_text())
        true = true_elements(truth)
        made = found_elements(cli, found / name, len(truth["notes"]))
        return name, len(truth["notes"]), true, made, score(true, made)

    with concurrent.futures.ThreadPoolExecutor(2) as pool:
        rows = list(pool.map(one, names))
    missed, false = {}, {}
    for name, notes, true, made, (recall, precision, f1) in rows:
        print(f"{name:16} recall {recall:4.2f} precision {precision:4.2f} F1 {f1:4.2f}  missed: {', '.join(sorted(true - made)) or '-'};  false: {', '.join(sorted(made - true)) or '-'}")
        for word in true - made:
            missed[word] = missed.get(word, 0) + 1
        for word in made - true:
            false[word] = false.get(word, 0) + 1
    there = {}
    for _, _, true, _, _ in rows:
        for word in true:
            there[word] = there.get(word, 0) + 1
    print("missed:", ", ".join(f"{w} {n} of {there[w]}" for w, n in sorted(missed.items(), key=lambda x: -x[1])))
    print("false:", ", ".join(f"{w} {n}" for w, n in sorted(false.items(), key=lambda x: -x[1])))
    for label, some in (("phrases", [r for r in rows if r[1] >= 4]), ("single sounds", [r for r in rows if r[1] < 4])):
        if some:
            f1 = sorted(r[4][2] for r in some)
            print(f"{label}, {len(some)}: recall {statistics.median(r[4][0] for r in some):.2f}, precision {statistics.median(r[4][1] for r in some):.2f}, "
                  f"F1 median {statistics.median(f1):.2f}, mean {statistics.mean(f1):.2f}, lower quarter {f1[len(f1) // 4]:.2f}")


if __name__ == "__main__":
    main()
