# Runs one hook of a build backend (PEP 517 and 660) and tells what it answered by a file, since its output belongs to the backend.
# Before the backend is loaded, as much as the system permits is taken away: the network, and other processes than its own. The syntax
# is common to Python 3.4 and later.
import json, os, sys

with open(sys.argv[1], encoding="utf-8") as file:
    asked = json.load(file)
told = sys.argv[2]
sys.argv = [""]


def tell(answer):
    with open(told + ".part", "w", encoding="utf-8") as out:
        json.dump(answer, out)
    os.replace(told + ".part", told)


def system():
    import ctypes
    return ctypes.CDLL(None, use_errno=True)


def end_with_parent():
    try:
        system().prctl(1, 9, 0, 0, 0)  # PR_SET_PDEATHSIG, SIGKILL
    except Exception:
        pass


def limit():
    try:
        import resource
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
        for kind, most in (("RLIMIT_DATA", asked["memory"]), ("RLIMIT_FSIZE", asked["file"])):
            kind = getattr(resource, kind)
            hard = resource.getrlimit(kind)[1]
            resource.setrlimit(kind, (most if hard < 0 else min(most, hard), hard))
    except Exception:
        pass


def leave(flags):
    # CLONE_NEWUSER, CLONE_NEWNET, CLONE_NEWPID
    try:
        if hasattr(os, "unshare"):
            os.unshare(flags)
            return True
        return system().unshare(flags) == 0
    except Exception:
        return False


def end_as(status):
    """Ends as another process did."""
    if os.WIFSIGNALED(status):
        import signal
        number = os.WTERMSIG(status)
        if number not in (signal.SIGKILL, signal.SIGSTOP):
            signal.signal(number, signal.SIG_DFL)
        os.kill(os.getpid(), number)
    os._exit(os.WEXITSTATUS(status))


def alone():
    if not sys.platform.startswith("linux"):
        return False
    apart = 0 if asked["network"] else 0x40000000
    if not leave(0x10000000 | apart | 0x20000000):
        return bool(apart) and leave(0x10000000 | apart)
    # In a space of processes of its own, all that is left ends with the first of it. The first is none that works: it would be
    # spared signals.
    heard, said = os.pipe()
    first = os.fork()
    if first:
        os.close(said)
        os.waitpid(first, 0)
        status = os.read(heard, 32)
        end_as(int(status) if status else 9)
    end_with_parent()
    os.close(heard)
    worker = os.fork()
    if worker:
        while True:
            ended, status = os.wait()
            if ended == worker:
                os.write(said, str(status).encode())
                os._exit(0)
    os.close(said)
    return bool(apart)


def load():
    import importlib
    path = [os.path.abspath(folder) for folder in asked["backend_path"]]
    sys.path[:0] = path
    module, _, inner = asked["backend"].partition(":")
    found = importlib.import_module(module)
    if path:
        place = os.path.realpath(getattr(found, "__file__", None) or "")
        if not any(place.startswith(os.path.realpath(folder) + os.sep) for folder in path):
            raise ImportError("%s is loaded from %s, not from backend-path" % (module, place))
    for name in filter(None, inner.split(".")):
        found = getattr(found, name)
    return found


end_with_parent()
limit()
is_offline = alone()
tell({"offline": is_offline})
backend = load()
hook = getattr(backend, asked["hook"], None)
if hook is None:
    tell({"offline": is_offline, "absent": True})
else:
    answer = hook(*asked["arguments"])
    try:
        json.dumps(answer)
    except (TypeError, ValueError):
        answer = repr(answer)
    tell({"offline": is_offline, "answer": answer})
sys.stdout.flush()
sys.stderr.flush()
