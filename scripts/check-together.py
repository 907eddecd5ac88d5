"""Compiles all sources of the library as one file, so that no two of them use one name for two things, and each header alone,
so that it includes what it needs. Nothing is kept."""

import concurrent.futures
import functools
import os
import pathlib
import re
import subprocess
import sys
import tempfile

ROOT = pathlib.Path(__file__).resolve().parent.parent
PACKAGES = subprocess.check_output(["pkg-config", "--cflags", "eigen3", "cairo"], text=True).split()
COMPILE = ["clang++-14", "-std=c++20", "-fsyntax-only", "-Wall", "-Wextra", "-Wshadow", "-Wconversion", "-Wno-sign-conversion", "-Wno-pragma-once-outside-header",
           "-Wno-bitwise-instead-of-logical", f"-I{ROOT}/include", f"-I{ROOT}/src", *PACKAGES]


INCLUDED = re.compile(r'#include ["<]([^">]+)[">]')


@functools.cache
def uses_eigen(file):
    """Whether a header includes Eigen, itself or by others."""
    for name in INCLUDED.findall(file.read_text()):
        if name.startswith("Eigen/"):
            return True
        if any((ROOT / folder / name).exists() and uses_eigen(ROOT / folder / name) for folder in ("include", "src")):
            return True
    return False


def faults_of(file, eigen=None):
    # Most of the time goes into Eigen: who includes it finds it read already.
    read = ["-include-pch", str(eigen)] if eigen else []
    done = subprocess.run([*COMPILE, *read, "-x", "c++", "-Werror", str(file)], capture_output=True, text=True)
    return done.stderr


def main():
    sources = sorted((ROOT / "src").rglob("*.cpp"))
    headers = sorted([*(ROOT / "include").rglob("*.h"), *(ROOT / "src").rglob("*.h")])
    with tempfile.TemporaryDirectory() as folder:
        together = pathlib.Path(folder) / "together.cpp"
        together.write_text("".join(f'#include "{source}"\n' for source in sources))
        core, eigen = pathlib.Path(folder) / "eigen.h", pathlib.Path(folder) / "eigen.pch"
        core.write_text("#include <Eigen/Core>\n")
        subprocess.run(["clang++-14", "-std=c++20", *PACKAGES, "-x", "c++-header", str(core), "-o", str(eigen)], check=True)
        read = [None, *(eigen if uses_eigen(header) else None for header in headers)]
        with concurrent.futures.ThreadPoolExecutor(os.cpu_count()) as pool:
            faults = [text for text in pool.map(faults_of, [together, *headers], read) if text]
    print("".join(faults), end="")
    sys.exit(1 if faults else 0)


main()
