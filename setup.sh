#!/bin/sh
# Sets up what `make demo` and `make test` need: Debian's packages for Qt, a virtual environment, pinned parts.
set -eu
venv=${1:-.venv}
packages="libegl1 libgl1 libxkbcommon0 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 fonts-inter xvfb"

if command -v dpkg-query >/dev/null 2>&1; then
    missing=""
    for package in $packages; do
        dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q "install ok installed" || missing="$missing $package"
    done
    if [ -n "$missing" ]; then
        if [ "$(id -u)" = 0 ]; then
            echo "Installing Debian's packages:$missing"
            apt-get update -qq
            DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
        else
            echo "Debian's packages are missing; install them with: sudo apt-get install$missing" >&2
        fi
    fi
fi

python=""
for candidate in python3.11 python3; do
    if command -v "$candidate" >/dev/null 2>&1 &&
        "$candidate" -c 'import sys; sys.exit(sys.version_info[:2] < (3, 11))' 2>/dev/null; then
        python=$candidate
        break
    fi
done
if [ -z "$python" ]; then
    echo "Durvan needs Python 3.11 or newer; install it with: sudo apt-get install python3.11 python3.11-venv" >&2
    exit 1
fi
if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then
    if [ "$(id -u)" = 0 ]; then
        DEBIAN_FRONTEND=noninteractive apt-get install -y -qq python3-venv >/dev/null
    else
        echo "Python's venv module is missing; install it with: sudo apt-get install python3-venv" >&2
        exit 1
    fi
fi
if [ "$(uname -m)" != x86_64 ]; then
    echo "There is no ray tracer (embreex) for $(uname -m): scenes will be converted, but not shown or measured." >&2
fi
echo "Setting up $venv (once)"
"$python" -m venv "$venv"
"$venv/bin/python" -m pip install -q --disable-pip-version-check -r requirements.lock
"$venv/bin/python" -m pip install -q --disable-pip-version-check --no-deps -e .

# The validator of glTF is a package of Node; tests that use it are left out where there is none.
if command -v npm >/dev/null 2>&1; then
    npm install --prefix tests/formats/validator --no-package-lock --no-audit --no-fund --silent >/dev/null 2>&1 ||
        echo "The glTF validator could not be installed; its tests will be left out." >&2
fi
