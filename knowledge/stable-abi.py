"""Writes stable-abi.toml: which functions and data of the interpreter belong to its stable ABI, and since which series.

    python3 knowledge/stable-abi.py INTERPRETER... > stable-abi.new && mv stable-abi.new knowledge/stable-abi.toml

Of each interpreter two sources are read: the list in its library of tests, and what its headers declare under the limited API
(preprocessed by `cc`; PEP 384) and its library exports (`nm`). The list has forgotten functions that the headers had for years:
where the two disagree, and where two interpreters do, the lower series counts. Series whose interpreters are not named stay as
stable-abi.toml has them, so a machine needs to have only the newest.
"""
import json
import os
import re
import subprocess
import sys
import tempfile
import textwrap

ASK = r"""
import glob, json, os, sys, sysconfig
try:
    from test.test_stable_abi_ctypes import SYMBOL_NAMES
except Exception:
    SYMBOL_NAMES = ()
config = sysconfig.get_config_var
libraries = [os.path.join(config("LIBDIR") or "", config(key) or "") for key in ("INSTSONAME", "LDLIBRARY")]
libraries = [path for path in libraries if ".so" in path and os.path.isfile(path)]
print(json.dumps({
    "minor": sys.version_info[1],
    "listed": sorted(SYMBOL_NAMES),
    "headers": sysconfig.get_paths()["include"],
    "exports": (libraries or [os.path.realpath(sys.executable)])[0],
}))
"""
HERE = os.path.dirname(os.path.abspath(__file__))
DECLARED = re.compile(r'__attribute__\s*\(\(visibility\s*\("default"\)\)\)([^;{]*?)\b(_?Py\w+)\s*(\(|;|\[)')


def known():
    """The table as it is: series and names."""
    with open(os.path.join(HERE, "stable-abi.toml")) as file:
        text = file.read()
    found = {}
    for version, names in re.findall(r'version = "3\.(\d+)"\nnames = """\n(.*?)"""', text, re.S):
        for name in names.split():
            found[name] = int(version)
    return found


def declared(told):
    """What the headers of an interpreter declare under the limited API of its series, and it exports."""
    with tempfile.NamedTemporaryFile("w", suffix=".c") as source:
        source.write("#include <Python.h>\n")
        source.flush()
        limited = "-DPy_LIMITED_API=0x03%02x0000" % told["minor"]
        words = ["cc", "-E", "-P", limited, "-I", told["headers"], source.name]
        text = subprocess.run(words, check=True, capture_output=True, text=True).stdout
    exported = subprocess.run(["nm", "-D", "--defined-only", told["exports"]], check=True, capture_output=True, text=True).stdout
    exported = {line.split()[-1].split("@")[0] for line in exported.splitlines()}
    return {match[1] for match in DECLARED.findall(text)} & exported


def main():
    since = known()
    first = min(since.values())
    for interpreter in sys.argv[1:]:
        asked = subprocess.run([interpreter, "-c", ASK], check=True, capture_output=True, text=True).stdout
        told = json.loads(asked)
        for name in declared(told) | set(told["listed"]):
            # The table does not tell the series before its first apart.
            series = max(told["minor"], first)
            since[name] = min(since.get(name, series), series)
    print("# Functions and data of the interpreter that belong to its stable ABI (PEP 384). A compiled module with `abi3` in its name,")
    print("# or in the tags of its wheel, may use these and no others. Names that are newer than the last series here are not judged.")
    print("# Written by stable-abi.py.")
    for series in sorted(set(since.values())):
        names = " ".join(sorted(name for name, added in since.items() if added == series))
        remark = "this series and those before it" if series == first else "added by it"
        print(f'\n[[series]] # {remark}\nversion = "3.{series}"\nnames = """')
        print("\n".join(textwrap.wrap(names, 139, break_long_words=False, break_on_hyphens=False)))
        print('"""')


main()
