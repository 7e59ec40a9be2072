# Run by an interpreter about itself, isolated; prints one JSON object. The syntax is common to Python 2.7 and 3.
# Modules that take long to load (`re`, below `json` and `platform`) are left out where the same is had without them.
import os, sys, sysconfig


def dumps(value):
    try:
        from _json import encode_basestring_ascii as text
    except ImportError:
        import json
        return json.dumps(value)
    if isinstance(value, dict):
        return "{" + ", ".join(text(k) + ": " + dumps(value[k]) for k in value) + "}"
    if value is None or isinstance(value, bool):
        return {None: "null", True: "true", False: "false"}[value]
    return str(value) if isinstance(value, int) else text(value)


def system():
    if sys.platform.startswith("linux"):
        named = os.uname()
        return named[0], named[2], named[3], named[4], ""
    import platform
    return platform.system(), platform.release(), platform.version(), platform.machine(), platform.mac_ver()[0]


def implementation_name():
    known = {"cpython": "CPython", "pypy": "PyPy"}.get(name) if implementation else None
    if known:
        return known
    import platform
    return platform.python_implementation()


def var(name):
    return sysconfig.get_config_var(name)


def confstr(name):
    try:
        return os.confstr(name)
    except (AttributeError, ValueError, OSError):
        return None


def glibc():
    said = confstr("CS_GNU_LIBC_VERSION")
    if said or not sys.platform.startswith("linux"):
        return said
    # 2.7 does not know that name: ask the library itself.
    try:
        import ctypes
        version = ctypes.CDLL(None).gnu_get_libc_version
        version.restype = ctypes.c_char_p
        return "glibc " + version().decode("ascii")
    except Exception:
        return None


def full(info):
    text = "%d.%d.%d" % (info[0], info[1], info[2])
    if info[3] != "final":
        text += info[3][0] + str(info[4])
    return text


def environment(prefix, base_prefix):
    # Without the site module older interpreters do not look for their environment: do it for them.
    if prefix == base_prefix:
        folder = os.path.dirname(os.path.abspath(sys.executable))
        for root in (folder, os.path.dirname(folder)):
            if os.path.isfile(os.path.join(root, "pyvenv.cfg")):
                return root
    return prefix


implementation = getattr(sys, "implementation", None)
name = implementation.name if implementation else implementation_name().lower()
system, release, version, machine, mac = system()
own = implementation.version if implementation else sys.version_info
paths = sysconfig.get_paths()
stdlib = paths.get("stdlib") or ""
sys.stdout.write(dumps({
    "version": full(sys.version_info),
    "implementation": name,
    "abiflags": getattr(sys, "abiflags", ""),
    "wide_unicode": sys.maxunicode > 0xFFFF,
    "executable": sys.executable,
    "base_executable": getattr(sys, "_base_executable", None),
    "prefix": environment(sys.prefix, getattr(sys, "base_prefix", sys.prefix)),
    "base_prefix": getattr(sys, "base_prefix", sys.prefix),
    "bits": 64 if sys.maxsize > 2 ** 32 else 32,
    "platform": sysconfig.get_platform(),
    "soabi": var("SOABI"),
    "ext_suffix": var("EXT_SUFFIX") or var("SO"),
    "debug": bool(var("Py_DEBUG")),
    "free_threaded": bool(var("Py_GIL_DISABLED")),
    "glibc": glibc(),
    "mac": mac,
    "externally_managed": os.path.exists(os.path.join(stdlib, "EXTERNALLY-MANAGED")),
    "include": paths.get("include"),
    "markers": {
        "os_name": os.name,
        "sys_platform": sys.platform,
        "platform_machine": machine,
        "platform_python_implementation": implementation_name(),
        "platform_release": release,
        "platform_system": system,
        "platform_version": version,
        "python_version": "%d.%d" % sys.version_info[:2],
        "python_full_version": sys.version.split()[0],
        "implementation_name": implementation.name if implementation else "",
        "implementation_version": full(own) if implementation else "0",
    },
}))
