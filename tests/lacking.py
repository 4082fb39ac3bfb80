"""This system made poorer for the program: without what Windows and macOS lack, so that nothing of it rests on that.

Where a sparse file holds something is asked in another way there, and asked here as it is here. Libraries and the tests
themselves keep the system whole. It is no Windows: paths and files are still those of the machine that the tests run
on. In force when ``TESTS_LACK`` is set (`make test-elsewhere`).
"""

import builtins
import os
import signal
import socket
from types import ModuleType

import pytest

here_alone = pytest.mark.skipif(bool(os.environ.get("TESTS_LACK")), reason="about what this system alone has")

LACKING = {
    os: {
        "pread", "pwrite", "preadv", "O_CLOEXEC", "O_NONBLOCK", "O_NOFOLLOW", "O_DIRECTORY", "O_PATH", "O_TMPFILE",
        "getuid", "geteuid", "getgid", "getegid", "getgroups", "setuid", "chown", "fchown", "lchown", "fchmod",
        "mkfifo", "mknod", "set_blocking", "posix_fadvise", "posix_fallocate", "sysconf",
        "statvfs", "fstatvfs", "killpg", "setsid", "getpgid", "nice", "sched_getaffinity", "sendfile", "fork",
    },
    socket: {"AF_UNIX", "SO_REUSEPORT"},
    signal: {"SIGKILL", "SIGHUP", "SIGUSR1", "SIGUSR2", "SIGALRM", "alarm", "setitimer"},
}  # fmt: skip
MODULES = {"resource", "pwd", "grp", "termios"}
HIDDEN = ("/dev/", "/proc/", "/sys/")


class Poorer(ModuleType):
    """A module of the interpreter without some of its names; what is left is looked up in it each time."""

    def __init__(self, real):
        super().__init__(real.__name__)
        self.__dict__["_real"] = real

    def __getattr__(self, name):
        if name in LACKING[self._real]:
            raise AttributeError(f"module {self.__name__!r} has no attribute {name!r}")
        return getattr(self._real, name)


class PoorerOs(Poorer):
    """No opening by an open folder, no devices and no files of the kernel."""

    supports_dir_fd = frozenset()

    def open(self, path, flags, mode=0o777, *, dir_fd=None):
        assert dir_fd is None
        if str(path).startswith(HIDDEN) and path != os.devnull:
            raise FileNotFoundError(2, "No such file or directory", str(path))
        return os.open(path, flags, mode)


def take_away():
    """From here on, for the modules of the program."""
    poorer = {real.__name__: Poorer(real) for real in LACKING} | {"os": PoorerOs(os)}
    real_import = builtins.__import__

    def imported(name, globals=None, locals=None, fromlist=(), level=0):
        ours = level == 0 and str((globals or {}).get("__name__", "")).startswith("ylemorph")
        if ours and name in MODULES:
            raise ModuleNotFoundError(f"No module named {name!r}")
        return poorer[name] if ours and name in poorer else real_import(name, globals, locals, fromlist, level)

    builtins.__import__ = imported
