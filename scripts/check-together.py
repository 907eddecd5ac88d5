"""Compiles all sources of the library as one file, so that no two of them use one name for two things, and each header alone,
so that it includes what it needs. Nothing is kept."""

import concurrent.futures
import os
import pathlib
import subprocess
import sys
import tempfile

ROOT = pathlib.Path(__file__).resolve().parent.parent
PACKAGES = subprocess.check_output(["pkg-config", "--cflags", "eigen3", "cairo"], text=True).split()
COMPILE = ["clang++-14", "-std=c++20", "-fsyntax-only", "-Wall", "-Wextra", "-Wshadow", "-Wconversion", "-Wno-sign-conversion", "-Wno-pragma-once-outside-header",
           "-Wno-bitwise-instead-of-logical", f"-I{ROOT}/include", f"-I{ROOT}/src", *PACKAGES]


def faults_of(file):
    done = subprocess.run([*COMPILE, "-x", "c++", "-Werror", str(file)], capture_output=True, text=True)
    return done.stderr


def main():
    sources = sorted((ROOT / "src").rglob("*.cpp"))
    headers = sorted([*(ROOT / "include").rglob("*.h"), *(ROOT / "src").rglob("*.h")])
    with tempfile.TemporaryDirectory() as folder:
        together = pathlib.Path(folder) / "together.cpp"
        together.write_text("".join(f'#include "{source}"\n' for source in sources))
        with concurrent.futures.ThreadPoolExecutor(os.cpu_count()) as pool:
            faults = [text for text in pool.map(faults_of, [together, *headers]) if text]
    print("".join(faults), end="")
    sys.exit(1 if faults else 0)


main()
