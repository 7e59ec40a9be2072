"""Makes failures for real, with the interpreters, the compiler and the loader that are here, and holds what
`eutaxis diagnose` says of each against what was broken on purpose.

    python3 tests/provoke/provoke.py                                  # with target/debug/eutaxis
    python3 tests/provoke/provoke.py --program PATH --only WORD --keep FOLDER
    python3 tests/provoke/provoke.py --interpreters '/opt/py/*/bin/python'

Which cause is expected is written beside what is broken, before any answer was looked at; `-` where nothing is
broken. What needs an interpreter or program that is not here is left out, and counted. Exit code 1 when fewer than
95 of 100 roots are right, or when anything is told of a sound run.
"""

import argparse
import collections
import glob
import json
import os
import pathlib
import re
import shutil
import subprocess
import sys
import tempfile

SERIES = ["2.7", "3.6", "3.7", "3.8", "3.9", "3.10", "3.11", "3.12", "3.13", "3.14"]
CASES = []


def case(kind, expected, name, code=None, series=None, files=None, shell=None, needs=(), environment=None):
    """One failure, which needs further programs or series: `code` is run as camp.py by the interpreters of the series (any where none is named), or `shell` by a
    shell; `expected` are the ids that may be the root, or `-`."""
    for one in series or ["any"]:
        CASES.append(dict(kind=kind, expected=expected.split("|"), name=f"{name} {one}" if series else name, code=code,
                          series=one, files=files or {}, shell=shell, needs=needs, environment=environment or {}))


# ------------------------------------------------------------------ what the interpreter dropped, and what it has not yet

for module, last, where in [
    ("distutils.core", "3.11", ["3.12", "3.13"]), ("imp", "3.11", ["3.12"]), ("asyncore", "3.11", ["3.12"]), ("smtpd", "3.11", ["3.12"]),
    ("cgi", "3.12", ["3.13"]), ("telnetlib", "3.12", ["3.13"]), ("crypt", "3.12", ["3.13"]), ("pipes", "3.12", ["3.13"]),
    ("formatter", "3.9", ["3.10"]), ("parser", "3.9", ["3.10"]), ("binhex", "3.10", ["3.11"]), ("macpath", "3.7", ["3.8"]),
    ("ConfigParser", "2.7", ["3.11"]), ("urllib2", "2.7", ["3.11"]), ("StringIO", "2.7", ["3.8"]), ("cPickle", "2.7", ["3.12"]),
    ("__builtin__", "2.7", ["3.11"]), ("Queue", "2.7", ["3.9"]),
]:
    case("dropped module", "api-removed", f"import {module}", f"import {module}\n", where)
for code, where in [
    ("from collections import Mapping", ["3.10", "3.13"]), ("import collections\ncollections.Callable", ["3.10"]),
    ("from fractions import gcd", ["3.9"]), ("import inspect\ninspect.getargspec(print)", ["3.11"]), ("import string\nstring.letters", ["3.11"]),
    ("import asyncio\nasyncio.coroutine", ["3.11"]), ("import time\ntime.clock()", ["3.8", "3.12"]), ("import base64\nbase64.encodestring(b'x')", ["3.9"]),
    ("import unittest\nunittest.makeSuite", ["3.13"]), ("import locale\nlocale.format('%d', 1)", ["3.12"]), ("import platform\nplatform.linux_distribution()", ["3.8"]),
    ("import cgi\ncgi.escape('x')", ["3.8"]), ("from typing import io", ["3.13"]), ("import os\nos.getcwdu()", ["3.11"]), ("import itertools\nitertools.izip([], [])", ["3.11"]),
    ("{}.has_key('x')", ["3.11"]), ("{}.iteritems()", ["3.8"]), ("import ast\nast.Str", ["3.14"]), ("import pkgutil\npkgutil.ImpImporter", ["3.12"]),
]:
    case("dropped name", "api-removed", code.splitlines()[-1], code + "\n", where)
for code, where in [
    ("import tomllib", ["3.10"]), ("import zoneinfo", ["3.8"]), ("import graphlib", ["3.8"]), ("import dataclasses", ["3.6"]), ("import contextvars", ["3.6"]),
    ("import importlib.metadata", ["3.7"]), ("import asyncio", ["2.7"]), ("import pathlib", ["2.7"]), ("import enum", ["2.7"]), ("import secrets", ["2.7"]),
    ("from typing import Self", ["3.10"]), ("from typing import Literal", ["3.7"]), ("from functools import cache", ["3.8"]), ("from math import prod", ["3.7"]),
    ("from datetime import UTC", ["3.10"]), ("import asyncio\nasyncio.run", ["3.6"]), ("'ice'.removeprefix('i')", ["3.8"]), ("import shutil\nshutil.which('sh')", ["2.7"]),
    ("import itertools\nitertools.pairwise([])", ["3.9"]), ("import ast\nast.unparse(None)", ["3.8"]), ("import subprocess\nsubprocess.run(['true'])", ["2.7"]),
    ("from collections.abc import Mapping", ["2.7"]), ("zip([1], [2], strict=True)", ["3.9"]), ("from dataclasses import dataclass\n@dataclass(slots=True)\nclass A:\n    x: int", ["3.9"]),
    ("open('x', encoding='utf-8')", ["2.7"]),
]:
    case("not yet", "syntax-too-new", code.splitlines()[-1], code + "\n", where)
for name, code, where in [
    ("match", "match 1:\n    case 1:\n        pass\n", ["3.9", "3.7"]), ("walrus", "if (n := 3) > 2:\n    print(n)\n", ["3.7", "3.6"]),
    ("f-string", "name = 'x'\nprint(f'{name}')\n", ["2.7"]), ("positional only", "def f(a, /):\n    return a\n", ["3.7"]), ("type parameters", "def f[T](x: T) -> T:\n    return x\n", ["3.11"]),
    ("except star", "try:\n    pass\nexcept* ValueError:\n    pass\n", ["3.10"]), ("with in parentheses", "with (open('/dev/null') as a, open('/dev/null') as b):\n    pass\n", ["3.7"]),
    ("f-string of itself", "x = 1\nprint(f'{x=}')\n", ["3.7"]), ("annotation", "x: int = 3\n", ["2.7"]), ("async", "async def f():\n    pass\n", ["2.7"]),
    ("type statement", "type X = int\n", ["3.11"]), ("decorator", "import functools\nx = [functools.lru_cache]\n@x[0]\ndef f():\n    pass\n", ["3.8"]), ("nested quotes", "x = {'a': 1}\nprint(f'{x['a']}')\n", ["3.11"]),
    ("star in index", "a = {}\nb = (1,)\na[*b] = 1\n", ["3.10"]), ("keyword only", "def f(*, a):\n    return a\n", ["2.7"]), ("nonlocal", "def f():\n    x = 1\n    def g():\n        nonlocal x\n", ["2.7"]),
]:
    case("newer syntax", "syntax-too-new", name, code, where)
for name, code, where in [
    ("print statement", "print 'ice'\n", ["3.8", "3.12"]), ("exec statement", "exec 'x = 1'\n", ["3.11"]), ("backticks", "x = `1`\n", ["3.9"]), ("unequal", "print(1 <> 2)\n", ["3.11"]),
    ("except comma", "try:\n    pass\nexcept ValueError, e:\n    pass\n", ["3.8"]), ("long", "x = 10L\n", ["3.11"]), ("octal", "x = 0777\n", ["3.8"]), ("raise comma", "raise ValueError, 'x'\n", ["3.11"]),
    ("async as a name", "async = 1\n", ["3.7", "3.12"]), ("unicode raw", "x = ur'x'\n", ["3.11"]),
]:
    case("older syntax", "api-removed|syntax-too-new", name, code, where)

# ------------------------------------------------------------------ modules

NEVE = {"neveplot/__init__.py": "from neveplot import axes\n", "neveplot/axes.py": "def depth_axes():\n    pass\n"}
case("module", "module-absent", "nowhere", "import firnio\n", ["2.7", "3.6", "3.8", "3.11", "3.13"])
case("module", "module-absent", "nowhere, below a package", "import neveplot.polar\n", ["3.6", "3.13"], NEVE)
case("module", "module-absent", "from within a package", "import icelens\n", ["3.8", "3.12"], {"icelens/__init__.py": "import moulin.core\n"})
case("module", "module-absent", "caught, then another", "try:\n    import sastrugi\nexcept ImportError:\n    print('Could not import sastrugi, using the slow path')\nimport moulin\n", ["3.8", "3.13"])
case("module", "module-absent", "run as a module", series=["3.11"], shell="$PYTHON -m firnio")
case("module", "api-removed", "a name that is gone", "from neveplot.axes import polar_axes\n", ["2.7", "3.6", "3.11", "3.13"], NEVE)
case("module", "api-removed", "an attribute that is gone", "import neveplot\nneveplot.axes.polar_axes()\n", ["3.6", "3.11", "3.13"], NEVE)
case("module", "module-shadowed", "own file of a standard module", "import random\nrandom.randint(1, 2)\n", ["3.8", "3.10", "3.13"], {"random.py": "x = 1\n"})
case("module", "module-shadowed", "own file named as a project", "import csv\ncsv.reader([])\n", ["3.9", "3.12"], {"csv.py": "x = 1\n"})
CIRCLE = {"hut.py": "from camp_b import depth\nwidth = 1\n", "camp_b.py": "from hut import width\ndepth = 2\n"}
case("circle", "import-circle", "two modules", "import hut\n", ["3.6", "3.8", "3.11", "3.13"], CIRCLE)
case("circle", "import-circle", "a package with itself", "import icelens\n", ["3.8", "3.12"],
     {"icelens/__init__.py": "from icelens.core import lens\nfocus = 1\n", "icelens/core.py": "import icelens\nlens = icelens.focus\n"})

# ------------------------------------------------------------------ which interpreter, and where it looks

case("way", "module-absent", "PYTHONHOME leads elsewhere", "import json\n", ["2.7", "3.6", "3.8", "3.11", "3.13"], environment={"PYTHONHOME": "/nowhere/py"})
case("way", "module-shadowed|abi-changed", "PYTHONPATH leads to the library of another series", "import json, re, ssl\n", ["3.11", "3.13"],
     shell="PYTHONPATH=$(dirname $OTHER)/../lib/python3.8 $PYTHON camp.py", needs=["3.8"])
case("way", "module-absent", "what an environment was made from is gone", series=["3.8", "3.12"], files={"camp.py": "import json\n"},
     shell="$PYTHON -c 'import venv; venv.create(\"e\")'; ln -sf /nowhere/python3 e/bin/python; bash -c 'e/bin/python camp.py'", needs=["bash"])
case("way", "module-absent", "a script of an environment that was moved", series=["3.8", "3.12"],
     files={"tool": "#!/nowhere/e/bin/python\nprint(1)\n"}, shell="chmod +x tool; bash -c ./tool", needs=["bash"])
case("way", "module-absent", "placed for another interpreter", series=["3.12"], files={"e/firnio.py": "x = 1\n"},
     shell="echo 'Requirement already satisfied: firnio in ./e/lib/python3.8/site-packages (1.3)'; $PYTHON -I -c 'import firnio'")
case("way", "module-absent", "an interpreter that is nowhere", shell="bash -c 'python3.99 camp.py'", needs=["bash"])

# ------------------------------------------------------------------ the machine

case("text", "text-encoding", "a file of another encoding", "open('notes.txt', encoding='utf-8').read()\n", ["3.6", "3.11", "3.13"], {"notes.txt": b"Gl\xe4tscher\n"})
case("text", "text-encoding", "an output that cannot hold it", "print(u'\\u2744')\n", ["3.8", "3.12"], environment={"PYTHONIOENCODING": "ascii", "LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONCOERCECLOCALE": "0"})
case("text", "text-encoding", "a source without its encoding", "x = '\xe4'\n", ["2.7"])
case("text", "text-encoding", "ascii by the locale", "open('notes.txt').read()\n", ["3.6"], {"notes.txt": "Glätscher\n".encode()}, environment={"LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONCOERCECLOCALE": "0"})
case("files", "too-many-files", "a limit of open files", "import resource\nresource.setrlimit(resource.RLIMIT_NOFILE, (20, 20))\nall = [open('/dev/null') for _ in range(40)]\n", ["2.7", "3.8", "3.13"])
case("memory", "memory-exhausted", "a limit of memory", "import resource\nresource.setrlimit(resource.RLIMIT_AS, (200 << 20, 200 << 20))\nx = bytearray(1 << 30)\n", ["3.8", "3.13"])
case("rights", "not-permitted", "a file of another", shell="chmod 000 sealed.txt; cat sealed.txt; $PYTHON -c 'raise PermissionError(13, \"Permission denied\", \"/etc/sealed\")'", files={"sealed.txt": "x\n"}, series=["3.11"])
case("space", "no-space", "a full device", "f = open('/dev/full', 'w')\nf.write('x' * 10000)\nf.flush()\n", ["2.7", "3.8", "3.12"])
case("path", "path-too-long", "a name that is too long", "open('x' * 300, 'w')\n", ["3.8", "3.13"])
case("archive", "file-corrupt", "no archive", "import zipfile\nzipfile.ZipFile('ice.whl')\n", ["2.7", "3.8", "3.13"], {"ice.whl": "<html>not found</html>\n"})
case("archive", "file-corrupt", "a cut off stream", "import gzip\ngzip.open('ice.gz').read()\n", ["3.8", "3.12"], {"ice.gz": bytes.fromhex("1f8b08000000000000034b4c4a06")})
case("crash", "crashed", "a segmentation fault", shell="$PYTHON -X faulthandler -c 'import ctypes; ctypes.string_at(0)'", series=["3.8", "3.11", "3.13"])
case("crash", "crashed", "told by the shell", shell="sh -c '$PYTHON -c \"import ctypes; ctypes.string_at(0)\"; echo exit $?'", series=["3.11"])
case("crash", "crashed", "aborted", shell="$PYTHON -X faulthandler -c 'import os; os.abort()'", series=["3.12"])

# ------------------------------------------------------------------ the network

case("network", "network-unreachable", "nobody listens", "try:\n    from urllib.request import urlopen\nexcept ImportError:\n    from urllib2 import urlopen\nurlopen('http://127.0.0.1:9/simple/')\n", ["2.7", "3.8", "3.13"])
case("network", "network-unreachable", "no such host", "import socket\nsocket.create_connection(('index.invalid', 443), 2)\n", ["3.8", "3.12"])

# ------------------------------------------------------------------ compiler, linker, loader

BUILD = "cc -c core.c -o core.o"
case("compiler", "header-missing", "a header that is nowhere", shell=BUILD, files={"core.c": "#include <firn.h>\nint main(void) { return 0; }\n"}, needs=["cc"])
case("compiler", "header-missing", "the interpreter's own header", shell=BUILD, files={"core.c": "#include <Python.h>\n"}, needs=["cc"])
case("compiler", "build-failed", "an error in the source", shell=BUILD, files={"core.c": "int main(void) { return x; }\n"}, needs=["cc"])
case("compiler", "build-failed", "a function of a newer interface", shell=BUILD, files={"core.c": "struct a { int b; };\nint f(struct a *x) { return x->c; }\n"}, needs=["cc"])
case("compiler", "library-absent|header-missing|build-tool-missing", "a library that is nowhere", shell="cc core.c -lfirn -o core", files={"core.c": "int main(void) { return 0; }\n"}, needs=["cc"])
case("compiler", "build-failed|symbol-absent", "a function that nobody defines", shell="cc core.c -o core", files={"core.c": "int firn_depth(void);\nint main(void) { return firn_depth(); }\n"}, needs=["cc"])
case("compiler", "build-tool-missing", "no compiler", shell="firn-gcc -c core.c || sh -c 'PATH=/nowhere gcc -c core.c'", files={"core.c": "\n"})
case("compiler", "build-tool-missing", "no build program", shell="cmake -G 'Firn Makefiles' . ; PATH=/nowhere ninja", files={"CMakeLists.txt": "project(x)\n"})
LOAD = "import ctypes\nctypes.CDLL('./libcore.so')\n"
case("loader", "library-absent", "a library that it needs", LOAD, ["3.8", "3.13"], {"firn.c": "int firn(void) { return 1; }\n", "core.c": "int firn(void);\nint core(void) { return firn(); }\n"},
     "cc -shared -fPIC firn.c -o libfirn.so.3 && cc -shared -fPIC core.c -L. -l:libfirn.so.3 -o libcore.so && rm libfirn.so.3 && $PYTHON camp.py", ["cc"])
case("loader", "symbol-absent", "a function that is nowhere", "import ctypes\nctypes.CDLL('./libcore.so', ctypes.RTLD_GLOBAL | 2)\n", ["3.8", "3.12"], {"core.c": "int firn(void);\nint core(void) { return firn(); }\n"},
     "cc -shared -fPIC core.c -o libcore.so && $PYTHON camp.py", ["cc"])
case("loader", "file-corrupt|wrong-architecture", "a text in place of a library", LOAD, ["3.8", "3.13"], {"libcore.so": "not found\n"})
case("loader", "file-corrupt", "a library that is cut off", LOAD, ["3.11"], {"core.c": "int core(void) { return 1; }\n"}, "cc -shared -fPIC core.c -o whole.so && head -c 100 whole.so > libcore.so && $PYTHON camp.py", ["cc"])

# ------------------------------------------------------------------ nothing is broken

case("sound", "-", "says nothing", "print('depth 4.1')\n", ["2.7", "3.8", "3.13"])
case("sound", "-", "goes on without", "try:\n    import firnio\nexcept ImportError as e:\n    print('no firnio (%s), plots are off' % e)\nprint('wrote 4 pictures')\n", ["2.7", "3.8", "3.13"])
case("sound", "-", "warns", "import warnings\nwarnings.warn('module firnio has no attribute depth', DeprecationWarning)\nprint('wrote 4 pictures')\n", ["3.8", "3.13"])
case("sound", "-", "tests that expect failures", "import unittest\nclass T(unittest.TestCase):\n    def test_no_module_named_firnio(self):\n        'ModuleNotFoundError: No module named firnio'\n        with self.assertRaises(ImportError):\n            import firnio\nunittest.main(verbosity=2)\n", ["3.8", "3.11", "3.13"])
case("sound", "-", "logs an exception and goes on", "import logging\nlogging.basicConfig(level=20)\ntry:\n    import firnio\nexcept ImportError:\n    logging.exception('plugin firnio')\nlogging.info('plugin firnio is off')\nprint('Successfully completed')\n", ["3.8", "3.13"])
case("sound", "-", "a compiler that warns", shell="cc -Wall -c core.c -o core.o && echo built", files={"core.c": "int f(void) { int x; return 1; }\n"}, needs=["cc"])
case("sound", "-", "shows its source", shell="cat camp.py; echo done", code="raise ImportError(\"No module named 'firnio'\")\n")

# ------------------------------------------------------------------ two at once

for first, second, ids in [
    ("import firnio", "f = open('/dev/full', 'w')\nf.write('x' * 10000)\nf.flush()", ["module-absent", "no-space"]),
    ("import firnio", "import moulin", ["module-absent", "module-absent"]),
    ("from collections import Mapping", "import zipfile\nzipfile.ZipFile('camp.py')", ["api-removed", "file-corrupt"]),
]:
    CASES.append(dict(kind="two", expected=ids, name=f"{first}, then {second.splitlines()[-1]}", code=None, series="3.12", environment={}, needs=(),
                      files={"a.py": first + "\n", "b.py": second + "\n", "camp.py": "x\n"}, shell="echo '$ python a.py'; $PYTHON a.py; echo '$ python b.py'; $PYTHON b.py"))


def interpreters(patterns):
    """The interpreters that are here, by their series."""
    names = [shutil.which(f"python{s}") for s in SERIES] + [p for pattern in patterns for p in glob.glob(os.path.expanduser(pattern))]
    found = {}
    for name in filter(None, names):
        told = subprocess.run([name, "-c", "import sys; print('%d.%d' % sys.version_info[:2])"], capture_output=True, text=True)
        if told.returncode == 0:
            found.setdefault(told.stdout.strip(), name)
    return found


def provoked(case, python, folder, others):
    """What it writes, when it is run in a folder of its own; `others` are further interpreters that it needs."""
    for name, content in case["files"].items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content if isinstance(content, bytes) else content.encode())
    if case["code"] is not None:
        (folder / "camp.py").write_text(case["code"], encoding="latin-1" if case["series"] == "2.7" else "utf-8")
    environment = {k: v for k, v in os.environ.items() if not k.startswith("PYTHON")}
    environment.update({"LC_ALL": "C.UTF-8", "PYTHONDONTWRITEBYTECODE": "1", "PYTHON": python or "", "OTHER": others[0] if others else ""}, **case["environment"])
    line = case["shell"] or "$PYTHON camp.py"
    ran = subprocess.run(["sh", "-c", line], cwd=folder, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, stdin=subprocess.DEVNULL, timeout=60)
    return ran.stdout


def roots(program, log):
    """The ids of the causes that it tells of a log, the root first."""
    ran = subprocess.run([program, "diagnose", str(log), "--json"], capture_output=True, text=True, env={**os.environ, "EUTAXIS_DEPOT": ""})
    return [c["id"] for c in json.loads(ran.stdout)["causes"]]


def main():
    here = pathlib.Path(__file__).resolve().parents[2]
    parser = argparse.ArgumentParser(description=__doc__.split("\n\n")[0])
    parser.add_argument("--program", default=str(here / "target/debug/eutaxis"))
    parser.add_argument("--interpreters", action="append", default=[])
    parser.add_argument("--only", default="")
    parser.add_argument("--keep", type=pathlib.Path)
    options = parser.parse_args()
    known = interpreters(options.interpreters)
    right, all_, left_out = collections.Counter(), collections.Counter(), 0
    for case in CASES:
        label = f"{case['kind']}: {case['name']}"
        python = known.get(case["series"]) if case["series"] != "any" else next(iter(known.values()), None)
        lacking = [n for n in case["needs"] if not (shutil.which(n) or n in known)]
        if options.only not in label or (python is None and (case["series"] != "any" or case["code"] is not None)) or lacking:
            left_out += 1
            continue
        with tempfile.TemporaryDirectory() as folder:
            folder = pathlib.Path(folder)
            log = folder / "provoked.log"
            others = [known[n] for n in case["needs"] if n in known]
            log.write_bytes(provoked(case, python, folder, others))
            told = roots(options.program, log)
            if options.keep:
                options.keep.mkdir(parents=True, exist_ok=True)
                shutil.copy(log, options.keep / (re.sub(r"\W+", "-", label).strip("-") + ".log"))
        if case["kind"] == "two":
            good = sorted(told) == sorted(case["expected"])
        else:
            good = (told[:1] or ["-"])[0] in case["expected"]
        all_[case["kind"]] += 1
        right[case["kind"]] += good
        if not good:
            print(f"{label}: expected {' or '.join(case['expected'])}, told {', '.join(told) or '-'}")
    print()
    for kind, count in all_.items():
        print(f"{kind:16} {right[kind]:3} of {count}")
    total, good = sum(all_.values()), sum(right.values())
    print(f"{'all':16} {good:3} of {total}; {left_out} left out")
    sound = right["sound"] == all_["sound"]
    sys.exit(0 if total and good * 100 >= total * 95 and sound else 1)


if __name__ == "__main__":
    main()
