"""The front end's pure modules, bundled once and called in node."""

import json
import subprocess
from pathlib import Path

import pytest

FRONT = Path(__file__).parents[2] / "frontend"
MODULES = (
    "src/widgets/sizes.ts", "src/morph/geometry.ts", "src/carry/film.ts", "src/carry/times.ts", "src/buy/ladder.ts",
    "src/buy/growth.ts", "src/fleet/histogram.ts", "src/live/places.ts",
)  # fmt: skip
CALLS = """
import {{ readFileSync }} from "node:fs";
{imports}
const calls = JSON.parse(readFileSync(0, "utf8"));
process.stdout.write(JSON.stringify(calls.map(([name, ...args]) => every[name](...args))));
"""


@pytest.fixture(scope="session")
def node(tmp_path_factory):
    """Calls ``(name, *arguments)`` of exported functions, all in one process, and gives their results."""
    folder = tmp_path_factory.mktemp("bundle")
    names = ", ".join(f"...m{i}" for i in range(len(MODULES)))
    imports = "\n".join(f'import * as m{i} from "{FRONT / module}";' for i, module in enumerate(MODULES))
    entry = folder / "entry.ts"
    entry.write_text(CALLS.format(imports=f"{imports}\nconst every = {{ {names} }};"))
    build = (
        "import { build } from 'vite';"
        f"await build({{ logLevel: 'error', configFile: false, build: {{ outDir: '{folder}/out', ssr: '{entry}',"
        " rollupOptions: { output: { entryFileNames: 'bundle.mjs' } } } });"
    )
    command = ["node", "--input-type=module", "-e", build]
    subprocess.run(command, check=True, cwd=FRONT, capture_output=True)

    def call(*calls):
        done = subprocess.run(
            ["node", folder / "out" / "bundle.mjs"], input=json.dumps(calls), text=True, capture_output=True, check=True
        )
        return json.loads(done.stdout)

    return call
