# Sourced by start and test: installs what is missing. Prints only when something is done.
root_dir=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
venv="$root_dir/.venv"
mkdir -p "$root_dir/.runtime"
# Two first starts at once wait for each other; what is run afterwards does not hold the lock.
exec 9>"$root_dir/.runtime/setup.lock"
flock 9

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"; elif command -v sudo >/dev/null; then sudo "$@"; else
    echo "This needs root or sudo: $*" >&2; exit 1
  fi
}

# ensure_packages PACKAGE=PROBE ...   installs Debian packages whose probe (a shell test) fails
ensure_packages() {
  local missing=()
  for entry in "$@"; do
    eval "${entry#*=}" >/dev/null 2>&1 || missing+=("${entry%%=*}")
  done
  [ "${#missing[@]}" = 0 ] && return
  echo "Installing Debian packages: ${missing[*]}"
  as_root env DEBIAN_FRONTEND=noninteractive apt-get update -qq
  as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >"$root_dir/.runtime/apt.log" 2>&1 || {
    tail -5 "$root_dir/.runtime/apt.log" >&2; echo "The packages could not be installed." >&2; exit 1
  }
}

have_postgres='ls /usr/lib/postgresql/*/bin/postgres'
have_python='python3.11 -c "import venv, ensurepip" || python3 -c "import sys, venv, ensurepip; assert sys.version_info[:2] == (3, 11)"'

# ensure_venv FILE ...   a virtual environment with the locked requirements, made anew when they change
ensure_venv() {
  local stamp="$venv/.stamp-$(basename "$1" .txt)" sum
  sum=$(cat "$@" | sha256sum | cut -d' ' -f1)
  [ "$(cat "$stamp" 2>/dev/null)" = "$sum" ] && return
  local python=python3
  command -v python3.11 >/dev/null && python=python3.11
  [ -x "$venv/bin/python" ] || "$python" -m venv "$venv"
  echo "Installing Python packages"
  local files=()
  for file in "$@"; do files+=(-r "$file"); done
  "$venv/bin/python" -m pip install --quiet --quiet --disable-pip-version-check --require-hashes "${files[@]}"
  echo "$sum" >"$stamp"
}
