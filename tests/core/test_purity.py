"""The core stands alone."""

import subprocess
import sys


def test_the_core_brings_no_framework():
    code = (
        "import sys, pkgutil, importlib, ylemorph.core as core\n"
        "[importlib.import_module(f'ylemorph.core.{m.name}') for m in pkgutil.iter_modules(core.__path__)]\n"
        "print(sorted({'flask', 'sqlite3', 'pydantic', 'click', 'rich'} & set(sys.modules)))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
