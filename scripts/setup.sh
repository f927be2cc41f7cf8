# Sourced by ./start and ./test: installs what is missing, once, into .venv of the checkout.
# Callers set `here` to the checkout. Everything is quoted: its path may hold spaces.

venv="$here/.venv"

# Debian packages that PyPI does not bring: the libraries Qt's xcb platform is linked against.
window_packages="libgl1 libegl1 libglib2.0-0 libfontconfig1 libfreetype6 libdbus-1-3 libx11-6 libx11-xcb1 \
libxkbcommon0 libxkbcommon-x11-0 libxcb1 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 \
libxcb-randr0 libxcb-render0 libxcb-render-util0 libxcb-shape0 libxcb-shm0 libxcb-sync1 libxcb-util1 \
libxcb-xfixes0 libxcb-xinerama0 libxcb-xkb1 libzstd1"

say() { printf '%s\n' "$*" >&2; }

find_python() {
  local candidate
  for candidate in python3.11 python3 python3.12 python3.13; do
    if command -v "$candidate" >/dev/null && "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
      command -v "$candidate"
      return
    fi
  done
  say "Kakushi needs Python 3.11 or newer; install it, for example: sudo apt-get install python3"
  exit 1
}

# Install Debian packages where that is allowed; otherwise print the exact command and stop.
install_packages() {
  local package missing=""
  # Only what is missing: what is there is left as it is.
  for package in "$@"; do
    dpkg-query -W -f '${db:Status-Status}' "$package" 2>/dev/null | grep -qx installed || missing="$missing $package"
  done
  # shellcheck disable=SC2086 # one word per package is meant
  set -- ${missing:-$*}
  local command="apt-get install -y --no-install-recommends $*"
  if ! command -v apt-get >/dev/null; then
    say "Please install these (Debian's names) and start again: $*"
    exit 1
  fi
  local as_root=()
  if [ "$(id -u)" -ne 0 ]; then
    if command -v sudo >/dev/null && { sudo -n true 2>/dev/null || [ -t 0 ]; }; then
      as_root=(sudo)
    else
      say "Some system packages are missing. Run this, then start again:"
      say "  sudo $command"
      exit 1
    fi
  fi
  say "Installing system packages: $*"
  "${as_root[@]}" apt-get update -qq >&2 || true
  # shellcheck disable=SC2086 # one word per package is meant
  if ! "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive $command >&2; then
    say "That did not work. Run this, then start again:"
    say "  sudo $command"
    exit 1
  fi
}

# ensure_venv LOCKFILE: a private environment with exactly the locked packages.
ensure_venv() {
  local lock="$here/$1" python stamp wanted
  stamp="$venv/.stamp-$1"
  wanted="$(cat "$lock" "$here/pyproject.toml" | sha256sum) $here"
  if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$wanted" ] && [ -x "$venv/bin/python" ]; then
    return
  fi
  python="$(find_python)"
  if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then
    install_packages "$("$python" -c 'import sys; print(f"python3.{sys.version_info[1]}-venv")')"
  fi
  if ! "$venv/bin/python" -c 'import pip' 2>/dev/null; then
    rm -rf "$venv"
    "$python" -m venv "$venv"
  fi
  say "Installing Python packages into .venv (once)…"
  if ! "$venv/bin/python" -m pip install --quiet --disable-pip-version-check --require-hashes -r "$lock" >&2; then
    say "The Python packages could not be installed; is there a connection to a package index?"
    exit 1
  fi
  # Editable, so that the checkout runs as it is; what builds it is in the lock, nothing else is fetched.
  if ! "$venv/bin/python" -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation \
    --editable "$here" >&2; then
    say "Kakushi could not be put into .venv; remove .venv and start again."
    exit 1
  fi
  printf '%s' "$wanted" >"$stamp"
}

# Libraries the window needs and the machine lacks are found by asking the linker.
window_libraries_missing() {
  local qt missing
  qt="$("$venv/bin/python" -c 'import sysconfig; print(sysconfig.get_path("purelib"))')/PyQt6"
  missing="$(ldd "$qt/Qt6/plugins/platforms/libqxcb.so" "$qt"/Qt6/lib/libQt6{Gui,Widgets,Svg,DBus}.so.6 2>/dev/null | grep 'not found' || true)"
  [ -n "$missing" ]
}

ensure_window_libraries() {
  if window_libraries_missing; then
    # shellcheck disable=SC2086 # one word per package is meant
    install_packages $window_packages
    if window_libraries_missing; then
      say "Qt still misses a system library; see which with: ldd .venv/lib/python3*/site-packages/PyQt6/Qt6/plugins/platforms/libqxcb.so"
      exit 1
    fi
  fi
}
