"""Writes standard-names.toml: which modules and names of the standard library not every series has.

    python3 knowledge/standard-names.py INTERPRETER... > knowledge/standard-names.toml

Each interpreter is asked twice: for what its modules hold, then whether it has what the others hold (a module may answer for
names that it does not list, PEP 562). What all of them have is not written, nor what an interpreter can be built without: of
that nothing is said.
"""
import json
import subprocess
import sys

ASK = r'''
import json, os, pkgutil, sys, warnings
warnings.simplefilter("ignore")
sys.dont_write_bytecode = True
skip = ("test", "tests", "idlelib", "turtledemo", "this", "antigravity", "ensurepip", "__main__", "__phello__", "pydoc_data",
        "site-packages", "lib2to3", "turtle", "tkinter", "Tkinter", "lib-tk", "config", "lib-dynload", "venv")
asked = json.loads(sys.stdin.read() or "null")
lib = os.path.dirname(os.__file__)

def is_kept(name):
    parts = name.split(".")
    return not any(p in skip or p.startswith("_test") or p.startswith("test_") or p.startswith("_sysconfigdata") for p in parts)

def walk(folder, prefix):
    for entry in sorted(os.listdir(folder)):
        path = os.path.join(folder, entry)
        name = entry[:-3] if entry.endswith(".py") else entry
        if entry.endswith(".py") and name != "__init__":
            yield prefix + name
        elif os.path.isdir(path) and os.path.exists(os.path.join(path, "__init__.py")) and is_kept(prefix + name):
            yield prefix + name
            for inner in walk(path, prefix + name + "."):
                yield inner

def load(name):
    try:
        __import__(name)
        return sys.modules[name]
    except BaseException:
        return None

if asked is None:
    source = set(n for n in walk(lib, "") if is_kept(n))
    listed = set(getattr(sys, "stdlib_module_names", ()))
    inner = set(sys.builtin_module_names)
    for path in sys.path:
        if path.endswith("lib-dynload") and os.path.isdir(path):
            inner.update(f.split(".")[0].replace("module", "") if f.endswith("module.so") else f.split(".")[0]
                         for f in os.listdir(path) if f.endswith(".so"))
    names = {}
    for name in sorted(source | set(n for n in inner if is_kept(n))):
        module = load(name)
        names[name] = sorted(n for n in dir(module) if not (n.startswith("__") and n.endswith("__"))) if module else None
    out = {"series": "%d.%d" % sys.version_info[:2], "source": sorted(source), "listed": sorted(n for n in listed if is_kept(n)),
           "compiled": sorted(n for n in inner if is_kept(n)), "names": names}
else:
    out = {}
    for name, wanted in asked.items():
        module = load(name)
        if module is not None:
            found = []
            for n in wanted:
                try:
                    getattr(module, n)
                    found.append(n)
                except BaseException:
                    pass
            out[name] = found
sys.stdout.write("\n@@" + json.dumps(out))
'''


# Modules that are not looked into, by the series that have them; what an interpreter can be built without counts as there.
UNLOOKED = {
    "2.7": ["Tkinter", "ttk", "tkMessageBox", "tkFileDialog"],
    "2.7-3.12": ["lib2to3"],
    "": ["antigravity", "ensurepip", "idlelib", "pydoc_data", "test", "this", "tkinter", "turtle", "turtledemo", "venv"],
}


def ask(interpreter, text):
    done = subprocess.run([interpreter, "-c", ASK], input=text, capture_output=True, text=True, check=True)
    return json.loads(done.stdout.rsplit("\n@@", 1)[1])


def number(series):
    return tuple(int(n) for n in series.split("."))


def ranges(which, all_series):
    """The series that have something, as ranges: "2.7 3.6-3.9"."""
    out, run = [], []
    for series in [*all_series, None]:
        if series in which:
            run.append(series)
        elif run:
            out.append(run[0] if len(run) == 1 else f"{run[0]}-{run[-1]}")
            run = []
    return " ".join(out)


def main():
    told = sorted((ask(i, "") for i in sys.argv[1:]), key=lambda t: number(t["series"]))
    interpreters = {t["series"]: i for t, i in zip((ask(i, "") for i in sys.argv[1:]), sys.argv[1:])}
    all_series = [t["series"] for t in told]
    modules = sorted({m for t in told for m in [*t["source"], *t["compiled"], *t["listed"]]})
    sources = {m for t in told for m in t["source"]}

    def standing(told, module):
        """True, False, or None when nothing can be said."""
        if module in told["source"] or module in told["compiled"]:
            return True
        if "." in module:
            return standing(told, module.split(".")[0]) if module not in sources else False
        if told["listed"]:
            return None if module in told["listed"] else False
        return False if module in sources else None

    always, some = [], {}
    for module in modules:
        by = {t["series"]: standing(t, module) for t in told}
        if all(v is not False for v in by.values()):
            always.extend([module] if "." not in module else [])
        else:
            # What cannot be told counts as there.
            has = [s for s in all_series if by[s] is not False]
            some.setdefault(ranges(has, all_series), []).append(module)

    union = {}
    for t in told:
        for module, names in t["names"].items():
            union.setdefault(module, set()).update(names or ())
    text = json.dumps({m: sorted(n) for m, n in union.items()})
    having = {s: ask(i, text) for s, i in interpreters.items()}
    parts = {}
    for module, names in sorted(union.items()):
        for name in sorted(names):
            # A part is there once somebody has imported it.
            if f"{module}.{name}" in modules:
                continue
            # Constants of these come from the library that an interpreter was linked to.
            if module in ("ssl", "_ssl", "hashlib", "_hashlib", "curses", "_curses") and name.isupper():
                continue
            there = [t["series"] for t in told if standing(t, module) is not False]
            has = [s for s in there if module not in having[s] or name in having[s][module]]
            if has and len(has) < len(there):
                parts.setdefault(module, {}).setdefault(ranges(has, all_series), []).append(name)

    print("# Modules and names of the standard library by the series that have them: 2.7 to the newest that was asked, on Linux.")
    print("# Written by standard-names.py. What every series has, or what cannot be told, is not listed as absent.")
    print(f"series = {json.dumps(all_series)}")
    for which, names in UNLOOKED.items():
        if which:
            some[which] = sorted(set(some.get(which, [])) | set(names))
        else:
            always = sorted(set(always) | set(names))
    print(f"always = {json.dumps(' '.join(always))}")
    print("\n[modules]")
    for which, names in sorted(some.items()):
        print(f"{json.dumps(which)} = {json.dumps(' '.join(names))}")
    for module, kinds in parts.items():
        print(f"\n[names.{json.dumps(module)}]")
        for which, names in sorted(kinds.items()):
            print(f"{json.dumps(which)} = {json.dumps(' '.join(names))}")


main()
