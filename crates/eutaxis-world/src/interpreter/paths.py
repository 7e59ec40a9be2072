# Run by an interpreter about itself, isolated and without the site module's work; prints one JSON object. The syntax is common to
# Python 2.7 and 3.
import json, sys

try:
    from importlib.machinery import EXTENSION_SUFFIXES as suffixes
except ImportError:
    import imp
    suffixes = [s[0] for s in imp.get_suffixes() if s[2] == imp.C_EXTENSION]


def sites(prefix):
    try:
        import site
        try:
            return site.getsitepackages([prefix])
        except TypeError:
            return site.getsitepackages()
    except Exception:
        return []


def user():
    try:
        import site
        return site.getusersitepackages()
    except Exception:
        return None


sys.stdout.write(json.dumps({
    "standard": [p for p in sys.path if p],
    "built_in": list(sys.builtin_module_names),
    "suffixes": list(suffixes),
    "sites": sites(getattr(sys, "base_prefix", sys.prefix)),
    "user": user(),
}))
