# Sourced by the other scripts: makes .venv and sees to the Debian packages that Qt needs.
# usage: . scripts/setup.sh; ruvex_setup run|check
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)

debian_packages=(
  fontconfig fonts-inter libdbus-1-3 libegl1 libfontconfig1 libgl1 libglib2.0-0 libharfbuzz-subset0 libpango-1.0-0 libpangoft2-1.0-0 libxcb-cursor0 libxcb-icccm4
  libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-shm0 libxcb-xinerama0
  libxcb-xkb1 libxkbcommon0 libxkbcommon-x11-0
)

find_python() {
  local name
  for name in ${PYTHON:-} python3 python3.11 python3.12 python3.13; do
    if command -v "$name" >/dev/null && "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
      command -v "$name"
      return
    fi
  done
  echo "Ruvex needs Python 3.11 or newer; install it, or name it: PYTHON=/path/to/python3 $0" >&2
  exit 2
}

install_debian_packages() {
  command -v dpkg-query >/dev/null || return 0
  local missing=() name
  local have
  have=$(dpkg-query -W -f '${Package} ${db:Status-Status}\n' 2>/dev/null | sed -n 's/ installed$//p')
  for name in "$@"; do
    # Newer Debian releases add t64 to some library names.
    grep -qxE "$name(t64)?" <<<"$have" || missing+=("$name")
  done
  [ ${#missing[@]} -eq 0 ] && return 0
  if [ "$(id -u)" -eq 0 ]; then
    echo "Installing Debian packages: ${missing[*]}" >&2
    apt-get update -qq >&2
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >&2
  else
    echo "Ruvex needs some Debian packages. Install them with:" >&2
    echo "  sudo apt-get install ${missing[*]}" >&2
    exit 2
  fi
}

is_ready() { [ "$(cat "$root/.venv/.ready-$1" 2>/dev/null)" = "$wanted" ]; }

ruvex_setup() {
  local kind=$1 python wanted
  local system=("${debian_packages[@]}")
  [ "$kind" = check ] && system+=(at-spi2-core dbus dbus-bin dbus-daemon xvfb xauth)
  python=$(find_python)
  if [ ! -x "$root/.venv/bin/python" ] && ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then
    system+=(python3-venv)
  fi
  install_debian_packages "${system[@]}"
  wanted=$("$python" -c 'import sys; print(sys.version)'; cat "$root/pyproject.toml")
  # What the checks need includes what a run needs.
  if [ ! -x "$root/.venv/bin/python" ] || ! { is_ready "$kind" || { [ "$kind" = run ] && is_ready check; }; }; then
    echo "Setting up Python packages in .venv; this takes a minute the first time." >&2
    [ -x "$root/.venv/bin/python" ] || "$python" -m venv "$root/.venv"
    local extra=""
    [ "$kind" = check ] && extra="[check]"
    "$root/.venv/bin/python" -m pip install --quiet --disable-pip-version-check --editable "$root$extra" >&2
    printf '%s' "$wanted" >"$root/.venv/.ready-$kind"
  fi
  # Compiles what computes, unless it has been; it takes about a minute the first time.
  "$root/.venv/bin/ruvex" prepare
}
