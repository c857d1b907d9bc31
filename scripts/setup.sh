#!/usr/bin/env bash
# Installs what is missing: `setup.sh` for the demo, `setup.sh test` for the tests too. Says one sentence when it cannot.
set -euo pipefail
cd "$(dirname "$0")/.."

fail() { echo "setup: $*" >&2; exit 1; }

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"
  elif command -v sudo >/dev/null; then sudo "$@"
  else fail "root or sudo is needed to install Debian's packages: run 'apt-get install $packages' as root first"
  fi
}

for tool in go node npm; do
  command -v $tool >/dev/null || fail "$tool is missing: install it first (Go 1.26, Node 20 and npm 11 are known to work)"
done

packages=""
compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null || packages="postgresql postgresql-contrib"
command -v espeak-ng >/dev/null || packages="$packages espeak-ng" # the voices of greetings and of the stand-in's people
if [ "${1:-}" = test ]; then
  # Debian's headless build of Chromium: the full one spends a third of the processor on windows nobody sees.
  command -v chromium-headless-shell >/dev/null || packages="$packages chromium-headless-shell"
  command -v gcc >/dev/null || packages="$packages gcc libc6-dev" # for the race detector
fi
if [ -n "$packages" ]; then
  command -v apt-get >/dev/null || fail "these packages are missing and there is no apt-get to install them: $packages"
  echo "Installing $packages …"
  log=$(mktemp)
  export DEBIAN_FRONTEND=noninteractive
  { as_root apt-get -o DPkg::Lock::Timeout=300 update -qq && as_root env DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=300 install -y -qq --no-install-recommends $packages; } \
    >"$log" 2>&1 || { tail -5 "$log" >&2; fail "Debian's packages could not be installed: $packages (see $log)"; }
fi

# npm ci only where the lock file has changed since the last one.
stamp=web/node_modules/.trundo-lock
if ! cmp -s web/package-lock.json $stamp 2>/dev/null; then
  echo "Installing the front end's packages …"
  (cd web && npm ci --no-audit --no-fund --loglevel=error) || fail "npm could not install the front end's packages"
  cp web/package-lock.json $stamp
fi
