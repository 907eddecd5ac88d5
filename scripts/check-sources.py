"""Fails on an include that points to a later layer, or past the core's own libraries, and on small
numbers without a name: what decides geometry says why it is as large as it is."""

import pathlib
import re
import sys

ROOT = pathlib.Path(__file__).resolve().parent.parent
CORE = ["base", "geometry", "mesh", "surface", "model", "solid", "inspect", "mend"]
ALLOWED = {layer: set(CORE[: i + 1]) for i, layer in enumerate(CORE)}
# It holds the texts of profiles and plans.
ALLOWED["formats"] = set(CORE) | {"formats"}
ALLOWED["report"] = set(CORE) | {"report"}
# The core reads no files and prints nothing.
FORBIDDEN_IN_CORE = re.compile(r"<(fstream|iostream|cstdio|filesystem|nlohmann/|fmt/|spdlog/|CLI/)")
SMALL_NUMBER = re.compile(r"(?<![\w.])(\d+(\.\d+)?e-\d+|0x1p-\d+|0\.00\d+|0\.99\d+|1\.00\d+)")
NAMED = re.compile(r"\bk[A-Z]\w* = |constexpr")
# Tables of units, and of limits with a text for each.
TABLES = {"src/base/units.cpp", "src/formats/iges_file.cpp", "src/formats/iges_file.h", "src/formats/read_step.cpp", "src/inspect/profile.cpp"}


def bare_numbers(path):
    """Lines with one; a definition may run over several lines."""
    in_definition = False
    for number, line in enumerate(path.read_text().splitlines(), 1):
        code = re.sub(r'"[^"]*"', "", line).split("//")[0]
        in_definition = in_definition or bool(NAMED.search(code))
        if SMALL_NUMBER.search(code) and not in_definition:
            yield number
        if ";" in code or "{" in code or "}" in code:
            in_definition = False


def layer_of(path):
    parts = path.relative_to(ROOT).parts
    return parts[2] if parts[0] == "include" else parts[1]


def main():
    faults = []
    for path in sorted([*ROOT.glob("include/**/*.h"), *ROOT.glob("src/**/*.h"), *ROOT.glob("src/**/*.cpp")]):
        layer = layer_of(path)
        if (layer in CORE or layer == "formats") and str(path.relative_to(ROOT)) not in TABLES:
            for number in bare_numbers(path):
                faults.append(f"{path.relative_to(ROOT)}:{number}: a small number needs a name and a reason")
        for number, line in enumerate(path.read_text().splitlines(), 1):
            place = f"{path.relative_to(ROOT)}:{number}"
            include = re.match(r'#include "(?:aguja/)?(\w+)/', line)
            if include and include.group(1) not in ALLOWED[layer]:
                faults.append(f"{place}: {layer} must not include {include.group(1)}")
            if path.is_relative_to(ROOT / "include") and "tbb" in line and line.startswith("#include"):
                faults.append(f"{place}: threads stay out of public headers: {line}")
            if layer in CORE and FORBIDDEN_IN_CORE.search(line):
                faults.append(f"{place}: not in {layer}: {line}")
    print("\n".join(faults), end="\n" if faults else "")
    sys.exit(1 if faults else 0)


main()
