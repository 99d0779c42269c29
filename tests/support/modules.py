"""The page's pure modules, called in Node as Vite serves them."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
from typing import Any

from tests.support.running import ROOT

SCRIPT = ROOT / "tests" / "support" / "modules.mjs"
WEB = ROOT / "web"
TIMEOUT_SECONDS = 120


def called(module: str, *calls: tuple[Any, ...]) -> list[Any]:
    """What functions of a module give: each call is a name and its arguments. A scale gives its domain."""
    path = f"{ROOT / '.venv' / 'bin'}{os.pathsep}{os.environ['PATH']}"
    node = shutil.which("node", path=path)
    assert node is not None
    wanted = [{"module": module, "name": name, "args": args} for name, *args in calls]
    # run as text, so that packages are found beside the page and not beside the tests
    done = subprocess.run(
        [node, "--input-type=module", "--eval", SCRIPT.read_text(encoding="utf-8")],
        cwd=WEB,
        env={**os.environ, "PATH": path, "NODE_NO_WARNINGS": "1"},
        input=json.dumps(wanted),
        capture_output=True,
        text=True,
        timeout=TIMEOUT_SECONDS,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    answers: list[Any] = json.loads(done.stdout)
    return answers
