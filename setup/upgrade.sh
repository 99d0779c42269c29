#!/usr/bin/env bash
# Brings this installation to a newer version: backs up, stops, takes the version, starts it and sees that it is ready.
# Where a step fails, program and record are put back as they were. Usage: setup/upgrade.sh [REVISION]
set -euo pipefail
cd "$(dirname "$0")/.."
goldthread=.venv/bin/goldthread
var=${GOLDTHREAD_VAR:-var}

[ -z "$(git status --porcelain --untracked-files=no)" ] || { echo "Files of the program were changed here. Put them back first: git status." >&2; exit 1; }
before=$(git rev-parse HEAD)
branch=$(git symbolic-ref -q --short HEAD || echo "$before")
"$goldthread" database up >/dev/null
backup=$("$goldthread" backup)
echo "Backed up: $backup"
"$goldthread" down

# in a condition bash goes on after a command that failed, so each waits for the one before
newer() {
  if [ $# -gt 0 ]; then git checkout -q "$1"; else git pull -q --ff-only; fi \
    && setup/prepare.sh product && "$goldthread" up && "$goldthread" check-settings >/dev/null
}

back() {
  echo "The newer version does not work here; going back to $before." >&2
  "$goldthread" down || true
  git checkout -q "$branch"
  git reset -q --hard "$before"
  setup/prepare.sh product
  if [ -d "$var/database" ]; then
    mv "$var/database" "$var/database.failed-$(date +%Y%m%dT%H%M%S)"
    "$goldthread" restore "$backup"
  else
    echo "The record is in a database of its own. Where its tables were changed, restore into an empty one: goldthread restore $backup" >&2
  fi
  "$goldthread" up
}

if newer "$@"; then
  echo "Upgraded to $(git rev-parse --short HEAD)."
else
  back
  exit 1
fi
