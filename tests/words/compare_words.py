#!/usr/bin/env python3
"""Compares what things are called in the project file, on the command line and in the window: compare_words.py CLI [FOLDER]

three_tables.txt beside this script says which field, option and label are the same thing. Every field that a reader of
the project file asks for, and every option that `garland-cli edit VERB --help` prints, must stand there once; every label
must be one of the window's; and the words of a row must match, or the row says why they don't. Prints what is wrong; the
exit code is 1 then.
"""
import pathlib
import re
import subprocess
import sys

REASONS = {"sentence", "view", "heading", "list", "inside", "typed", "kinds"}
LITTLE = {"x", "a", "an", "the", "of", "per", "in", "at", "on", "is", "by", "and", "whether"}

# What the object is called that a reader reads, and the smaller objects inside it by the name of their part.
READERS = {
    "read": "project", "read_tempo": "tempo", "read_camera": "camera", "read_source": "source", "read_closing": "closing",
    "read_water": "water", "read_wobble": "wobble", "read_timing": "timing", "read_outside": "outside", "read_map": "key",
    "read_speeds": "speeds", "read_phrases": "phrases", "read_curve": "curve", "read_places": "arrangement",
    "read_what_and_when": "arrangement", "read_arrangement": "arrangement", "read_spread": "spread", "read_wave": "wave",
    "read_path": "zone", "read_place_keys": "place_key", "read_zone": "zone", "read_sound": "sound", "read_pulse": "pulse",
    "read_level": "level", "read_play": "play",
}
INSIDE = {
    ("read", "range"): "range", ("read", "k"): "camera_key", ("read", "m"): "marker", ("read", "twins"): "twins",
    ("read", "part"): "ignored", ("read_speeds", "k"): "speed_key", ("read_phrases", "j"): "phrase",
    ("read_map", "k"): "key", ("read_curve", "k"): "curve", ("read_places", "path"): "path",
    ("read_places", "k"): "target", ("read_places", "jitter"): "jitter", ("read_places", "order"): "order",
    ("read_what_and_when", "v"): "variant", ("read_what_and_when", "out"): "single_out", ("read_arrangement", "n"): "nudge",
    ("read_place_keys", "k"): "place_key", ("read_zone", "ride"): "ride", ("read_sound", "b"): "bands",
}
ASKS = re.compile(r'\b(\w+)\.(?:real|whole|flag|word|place|text|get|id|each|rate)\("([a-z_]+)"')
ASKS_TOO = re.compile(r'\b(?:read_curve|read_map|read_place_keys|alike_or_each|read_ids)\((\w+), "([a-z_]+)"')
# A key's own place on its curve is given by whoever reads the curve.
GIVEN = {"key.source"}


def fields(root):
    found = set(GIVEN)
    for path in sorted((root / "src/io/project").glob("*.cpp")):
        reader = None
        for line in path.read_text(encoding="utf-8").splitlines():
            begins = re.match(r"^[\w:<>]+(?: [\w:<>]+)* (read\w*)\(const JsonPart& p", line)
            if begins:
                reader = begins.group(1)
            elif re.match(r"^\S.*\) \{$", line):
                reader = None
            if reader not in READERS:
                continue
            for part, name in ASKS.findall(line) + ASKS_TOO.findall(line):
                owner = INSIDE.get((reader, part), READERS[reader] if part == "p" else f"{reader}({part})")
                found.add(f"{owner}.{name}")
    return found


def options(cli):
    verbs = subprocess.run([cli, "edit", "--help"], capture_output=True, text=True, check=True).stdout
    found = set()
    for verb in re.findall(r"^  ([a-z][a-z-]*) ", verbs[verbs.index("Subcommands:"):], re.MULTILINE):
        text = subprocess.run([cli, "edit", "x.garland", verb, "--help"], capture_output=True, text=True, check=True).stdout
        for line in text.splitlines():
            if option := re.match(r"^ {2}(?:-\w,)?(--[a-z][a-z-]*)", line):
                if option.group(1) != "--help":
                    found.add(f"{verb} {option.group(1)}")
    return found


def labels(root):
    found = set()
    for path in (root / "src/app").rglob("*.cpp"):
        for text in re.findall(r'tr\(((?:\s*"(?:[^"\\]|\\.)*")+)', path.read_text(encoding="utf-8")):
            found.add("".join(re.findall(r'"((?:[^"\\]|\\.)*)"', text)))
    return found


# The words of a name, and those among them that are no little ones.
def content(words):
    found = [re.sub(r"(?<=[a-z]{3})s$", "", w) for w in re.findall(r"[a-zâ-ÿ]+", words.lower().replace("'s", ""))]
    return set(found), {w for w in found if w not in LITTLE} or set(found)


def alike(one, other):
    return any(one[i] <= other[i] or other[i] <= one[i] for i in (0, 1))


def main():
    cli = sys.argv[1]
    root = pathlib.Path(sys.argv[2]) if len(sys.argv) > 2 else pathlib.Path(__file__).resolve().parents[2]
    wrong, said_fields, said_options = [], {}, {}
    known = labels(root)
    for number, line in enumerate((pathlib.Path(__file__).parent / "three_tables.txt").read_text().splitlines(), 1):
        if not line.strip() or line.startswith("#"):
            continue
        cells = [cell.strip() for cell in line.split("|")]
        if len(cells) not in (3, 4) or (len(cells) == 4 and cells[3] not in REASONS):
            wrong.append(f"line {number} is no row: {line}")
            continue
        field, option, label = cells[:3]
        for cell, said in ((field, said_fields), (option, said_options)):
            if cell != "-" and said.setdefault(cell, number) != number:
                wrong.append(f"line {number}: {cell} stands in line {said[cell]} too")
        if label != "-" and label not in known:
            wrong.append(f'line {number}: the window has no "{label}"')
        if field == option == "-":
            wrong.append(f"line {number} names no field and no option")
        if len(cells) == 4:
            continue
        names = []
        if field != "-":
            names.append(content(field.split(".")[1].replace("_", " ")))
        if option != "-":
            names.append(content(option.split("--")[1].replace("-", " ")))
        if label != "-":
            names.append(content(label))
        else:
            wrong.append(f"line {number}: no label and no reason: {line}")
        if not all(alike(names[i], names[j]) for i in range(len(names)) for j in range(i)):
            wrong.append(f"line {number}: the words differ: {line}")
    for what, real, said in (("field", fields(root), said_fields), ("option", options(cli), said_options)):
        wrong += [f"the {what} {name} is not in the tables" for name in sorted(real - set(said))]
        wrong += [f"line {said[name]}: there is no {what} {name}" for name in sorted(set(said) - real)]
    if not said_fields or not said_options:
        wrong.append("the tables are empty")
    print("\n".join(wrong) if wrong else f"{len(said_fields)} fields and {len(said_options)} options are called as the window does")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
