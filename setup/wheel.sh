#!/usr/bin/env bash
# Builds a package with the page inside into dist/, for `pipx install` on a machine without this checkout.
set -euo pipefail
cd "$(dirname "$0")/.."
build=$(mktemp -d)
trap 'rm -rf "$build"' EXIT

cp -r src pyproject.toml requirements.txt "$build"
cp -r web/dist "$build/src/goldthread/page"
find "$build" -name __pycache__ -prune -exec rm -rf {} + -o -name '*.egg-info' -prune -exec rm -rf {} +
mkdir -p "${1:-dist}"
.venv/bin/python -m pip wheel -q --disable-pip-version-check --no-deps --no-build-isolation --no-index -w "${1:-dist}" "$build"
echo "${1:-dist}"/goldthread-*.whl
