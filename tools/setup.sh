#!/usr/bin/env bash
# Everything a fresh Debian machine needs; quick when nothing is to be done.
set -euo pipefail
cd "$(dirname "$0")/.."

packages=(
  tesseract-ocr-eng tesseract-ocr-fra tesseract-ocr-deu tesseract-ocr-spa tesseract-ocr-por tesseract-ocr-ita
  tesseract-ocr-nld tesseract-ocr-pol tesseract-ocr-rus tesseract-ocr-ell tesseract-ocr-ara tesseract-ocr-heb
  tesseract-ocr-frk tesseract-ocr-grc
  tesseract-ocr-osd tesseract-ocr-script-latn tesseract-ocr-script-cyrl tesseract-ocr-script-grek tesseract-ocr-script-hebr
  chromium poppler-utils qpdf jbig2dec espeak-ng flac opus-tools
  libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0
  libreoffice-writer-nogui libreoffice-calc-nogui libreoffice-impress-nogui
  fonts-liberation fonts-noto-core fonts-ebgaramond
)
commands=(python3 node npm)
declare -A provides=([python3]=python3 [node]=nodejs [npm]=npm)

missing=()
for package in "${packages[@]}"; do
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
done
for command in "${commands[@]}"; do
  command -v "$command" >/dev/null || missing+=("${provides[$command]}")
done
if command -v python3 >/dev/null && ! python3 -c 'import ensurepip, venv' 2>/dev/null; then missing+=(python3-venv); fi

if [ ${#missing[@]} -gt 0 ]; then
  if [ "$(id -u)" -ne 0 ]; then
    echo "These Debian packages are missing: ${missing[*]}" >&2
    echo "Install them with:  sudo apt-get install --no-install-recommends ${missing[*]}" >&2
    exit 1
  fi
  export DEBIAN_FRONTEND=noninteractive
  apt-get update -qq
  apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
fi

python=${PYTHON:-}
if [ -z "$python" ]; then
  for candidate in python3.11 python3; do
    if command -v "$candidate" >/dev/null && "$candidate" -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))'; then
      python=$candidate
      break
    fi
  done
fi
if [ -z "$python" ]; then echo "Python 3.11 is needed (Debian 12 has it as python3)." >&2; exit 1; fi

# A stamp holds the checksum of what was installed, so that a second run does nothing.
stamp() { sha256sum "$@" | sha256sum | cut -d' ' -f1; }
same() { [ -f "$1" ] && [ "$(cat "$1")" = "$2" ]; }

install_python() {
  local wanted; wanted=$(stamp requirements.lock pyproject.toml)
  same .venv/.stamp "$wanted" && return
  [ -x .venv/bin/python ] || "$python" -m venv .venv
  # The lock names all there is to install; two packages would bring what is not wanted (tools/overrides.txt).
  .venv/bin/pip install -q --disable-pip-version-check --no-deps --require-hashes -r requirements.lock
  .venv/bin/pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e . 2>/dev/null
  echo "$wanted" > .venv/.stamp
}

install_frontend() {
  local wanted; wanted=$(stamp frontend/package.json frontend/package-lock.json)
  same frontend/node_modules/.stamp "$wanted" && return
  (cd frontend && npm ci --silent --no-audit --no-fund)
  echo "$wanted" > frontend/node_modules/.stamp
}

unpack_data() {
  local wanted; wanted=$(stamp tools/unpack_models.py tools/unpack_words.py hyalen/core/frequencies.py requirements.lock frontend/package-lock.json; ls /usr/share/tesseract-ocr/*/tessdata 2>/dev/null | sha256sum)
  same .venv/share/hyalen/models/.stamp "$wanted" && return
  .venv/bin/python -m tools.unpack_models
  .venv/bin/python -m tools.unpack_words
  echo "$wanted" > .venv/share/hyalen/models/.stamp
}

build_frontend() {
  local wanted; wanted=$(stamp hyalen/web/*.py hyalen/core/model/*.py hyalen/core/proofing/*.py hyalen/core/decisions/*.py hyalen/core/accessibility/*.py frontend/package-lock.json)
  if ! same frontend/src/lib/api/.stamp "$wanted"; then
    .venv/bin/python -m hyalen.web.openapi > frontend/openapi.json
    (cd frontend && npm run --silent types >/dev/null 2>&1)
    echo "$wanted" > frontend/src/lib/api/.stamp
  fi
  wanted=$(find frontend/src frontend/public frontend/index.html frontend/*.ts frontend/*.js frontend/package-lock.json -type f -print0 | sort -z | xargs -0 sha256sum | sha256sum | cut -d' ' -f1)
  same hyalen/web/static/.stamp "$wanted" && return
  (cd frontend && npm run --silent build >/dev/null 2>&1)
  echo "$wanted" > hyalen/web/static/.stamp
}

# Two at a time: the one waits for the network or the disk while the other works.
install_frontend & beside=$!
install_python
wait "$beside"
unpack_data & beside=$!
build_frontend
wait "$beside"
