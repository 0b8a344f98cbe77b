#!/usr/bin/env python3
"""Walks every place of the sources where an error is made: walk_errors.py [FOLDER]

An error says what happened, where, what is unchanged and what to try. Here: each says what to try, or is of a kind for
which core/base/result.cpp knows that by its code and path, or is named below with the reason why there is nothing to
say; and no message uses the words that this project's errors do without. Prints what is wrong; the exit code is 1 then.
"""
import pathlib
import re
import sys

# Kinds that carry a path: advice_of() knows what to try.
BY_PATH = {"unreadable", "malformed", "newer_version", "changed", "disk_full", "exists", "not_found"}
# Stopped by the user's own hand: nothing to try.
NOTHING_TO_TRY = {"cancelled"}
REASONS = {
    ("src/io/ply/ply.cpp", '""'): "never seen: the reader says more where it is caught",
    ("src/app/panels/retime/retime_panel.cpp", '""'): "never seen: it stands for a trace that nobody asked for",
    ("src/render/movie.cpp", '"a picture of another size"'): "a mistake of the caller, checked before the first frame",
    ("src/cli/run.cpp", "error.what()"): "an exception of a library: its own words are all there is",
    ("src/python/module.cpp", "std::move(message)"): "the message of its caller says what to give",
}
UNWANTED = ["there already", "no such ", "not usable", "usable number", "gave up", "made anew", "invalid value", "illegal"]

PLACE = re.compile(r"(?:fail\(\s*ErrorCode::(\w+)|Error\{\s*ErrorCode::(\w+))")


def end_of_statement(text, at):
    depth, quoted = 0, False
    while at < len(text):
        c = text[at]
        if quoted:
            if c == "\\":
                at += 1
            elif c == '"':
                quoted = False
        elif c == '"':
            quoted = True
        elif c in "({[":
            depth += 1
        elif c in ")}]":
            depth -= 1
            if depth < 0:
                return at
        elif c == ";" and depth <= 0:
            return at
        at += 1
    return at


def walk(root):
    places, wrong = 0, []
    for path in sorted(root.glob("src/**/*")):
        if path.suffix not in (".cpp", ".h"):
            continue
        text, name = path.read_text(), path.relative_to(root).as_posix()
        for m in PLACE.finditer(text):
            places += 1
            code = m.group(1) or m.group(2)
            end = end_of_statement(text, m.start())
            begin = max(text.rfind(mark, 0, m.start()) for mark in (";", "{\n", "}\n")) + 1
            whole = text[begin : text.find(";", end) + 1]
            said = " ".join(text[m.end() : end].split())
            where = f"{name}:{text.count(chr(10), 0, m.start()) + 1}"
            if not (
                "advise" in whole
                or code in NOTHING_TO_TRY
                or (code in BY_PATH and ".at(" in whole)
                or any(name == file and part in said for file, part in REASONS)
            ):
                wrong.append(f"{where}: says not what to try: {said[:100]}")
            literals = " ".join(re.findall(r'"((?:[^"\\]|\\.)*)"', text[m.start() : end]))
            wrong += [f"{where}: \"{word.strip()}\" in: {literals[:100]}" for word in UNWANTED if word in literals]
    return places, wrong


if __name__ == "__main__":
    folder = pathlib.Path(sys.argv[1] if len(sys.argv) > 1 else pathlib.Path(__file__).parents[2])
    count, faults = walk(folder)
    print("\n".join(faults))
    print(f"{count} places where an error is made, {len(faults)} of them to be looked at")
    sys.exit(1 if faults or count < 500 else 0)
