#!/usr/bin/env bash
# What only the tests need, on top of setup.sh: readers and checkers of documents and e-books, another scanner client, the Unicode
# test data, a spelling list, PDFs of many programs, schemas, and the reference validator of PDF/A and PDF/UA.
set -euo pipefail
cd "$(dirname "$0")/.."

packages=(pandoc epubcheck unicode-data hunspell-en-us sane-utils sane-airscan)
missing=()
for package in "${packages[@]}"; do
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
done
command -v mvn >/dev/null || missing+=(maven)
command -v javac >/dev/null || missing+=(default-jdk-headless)
if [ ${#missing[@]} -gt 0 ]; then
  if [ "$(id -u)" -ne 0 ]; then
    echo "The tests need these Debian packages: ${missing[*]}" >&2
    echo "Install them with:  sudo apt-get install --no-install-recommends ${missing[*]}" >&2
    exit 1
  fi
  export DEBIAN_FRONTEND=noninteractive
  apt-get update -qq
  apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
fi

judge=.venv/judge
wanted=$(sha256sum tests/judge/* | sha256sum | cut -d' ' -f1)
if [ "$(cat "$judge/.stamp" 2>/dev/null)" != "$wanted" ]; then
  rm -rf "$judge"
  mkdir -p "$judge"
  mvn -q -B -f tests/judge/pom.xml dependency:copy-dependencies -DoutputDirectory="$PWD/$judge" >/dev/null
  (cd "$judge" && sha256sum --quiet -c ../../tests/judge/checksums.sha256)
  javac -cp "$judge/*" -d "$judge" tests/judge/Judge.java
  javac -cp /usr/share/java/epubcheck.jar -d "$judge" tests/judge/Books.java
  echo "$wanted" > "$judge/.stamp"
fi

# PDFs of many programs, which pypdf's source package carries for its own tests.
samples=.venv/samples
named=pypdf-7.1.1
if [ ! -d "$samples/$named" ]; then
  rm -rf "$samples"
  mkdir -p "$samples"
  .venv/bin/pip download -q --no-deps --no-binary :all: --no-build-isolation -d "$samples" "${named/-/==}" >/dev/null 2>&1 \
    || .venv/bin/pip download -q --no-deps --no-binary :all: -d "$samples" "${named/-/==}"
  echo "2eff4e2fc5fb22a6d6711e6f1166cdc9ab5765d90cd0d77dfea3f4aa91a27b1d  $samples/$named.tar.gz" | sha256sum --quiet -c
  tar -xzf "$samples/$named.tar.gz" -C "$samples" --wildcards '*.pdf'
  rm "$samples/$named.tar.gz"
fi

# Pictures in HEIC, which pi-heif's source package carries for its own tests.
heic=.venv/samples/heic
if [ ! -d "$heic" ]; then
  mkdir -p "$heic"
  .venv/bin/pip download -q --no-deps --no-binary :all: --no-build-isolation -d "$heic" pi-heif==1.4.0 >/dev/null 2>&1 \
    || .venv/bin/pip download -q --no-deps --no-binary :all: -d "$heic" pi-heif==1.4.0
  echo "e1199d9d41d9ecc877cf3ae7322ff099f6404574f2e62da47590cd4ecb9ec554  $heic/pi_heif-1.4.0.tar.gz" | sha256sum --quiet -c
  tar -xzf "$heic/pi_heif-1.4.0.tar.gz" -C "$heic" --strip-components 4 --wildcards '*/heif/zPug_3.heic' '*/heif/RGB_8__*.heif'
  rm "$heic/pi_heif-1.4.0.tar.gz"
fi

# The published schemas of ALTO 4.4, PAGE and XLink, which two packages carry.
schemas=.venv/schemas
if [ ! -f "$schemas/alto-4-4.xsd" ]; then
  rm -rf "$schemas"
  mkdir -p "$schemas"
  .venv/bin/pip download -q --no-deps -d "$schemas" htrflow==0.2.6 ocrd_validators==2.67.1
  sha256sum --quiet -c - <<END
49755e919c6acb3faf56ba225582a932ab8bff1d9d627fc7ded75bc55e84f51c  $schemas/htrflow-0.2.6-py3-none-any.whl
f8684266aca7a88b0efd857ff250a8518d6e72d2dacc03cf42c8dac81f3176c1  $schemas/ocrd_validators-2.67.1-py3-none-any.whl
END
  .venv/bin/python - "$schemas" <<'END'
import sys, zipfile
from pathlib import Path
folder = Path(sys.argv[1])
for wheel in folder.glob("*.whl"):
    with zipfile.ZipFile(wheel) as archive:
        for name in archive.namelist():
            if name.rsplit("/", 1)[-1] in ("alto-4-4.xsd", "pagecontent.xsd", "xlink.xsd"):
                (folder / name.rsplit("/", 1)[-1]).write_bytes(archive.read(name))
    wheel.unlink()
END
fi

# Readers of PAGE XML and of hOCR by other hands, unpacked as they are: what else they ask for is not needed to read a page.
readers=.venv/readers
if [ ! -d "$readers/pagexml" ]; then
  rm -rf "$readers"
  mkdir -p "$readers"
  .venv/bin/pip download -q --no-deps -d "$readers" \
    pagexml-tools==0.9.0 xmltodict==0.13.0 python-dateutil==2.9.0.post0 six==1.17.0 hocr-tools==1.1.1
  sha256sum --quiet -c - <<SUMS
cc17cb9fc2027b663e56b932024b2988229dc754e4c5841969b2c5d01de2a901  $readers/hocr-tools-1.1.1.tar.gz
c0ab08a52e73183757f580b4161b5b718c0b6a24da796c10cccb42c80ddf4a96  $readers/pagexml_tools-0.9.0-py3-none-any.whl
a8b2bc7bffae282281c8140a97d3aa9c14da0b136dfe83f850eea9a5f7470427  $readers/python_dateutil-2.9.0.post0-py2.py3-none-any.whl
4721f391ed90541fddacab5acf947aa0d3dc7d27b2e1e8eda2be8970586c3274  $readers/six-1.17.0-py2.py3-none-any.whl
aa89e8fd76320154a40d19a0df04a4695fb9dc5ba977cbb68ab3e4eb225e7852  $readers/xmltodict-0.13.0-py2.py3-none-any.whl
SUMS
  tar -xzf "$readers/hocr-tools-1.1.1.tar.gz" -C "$readers" --strip-components 1
  rm "$readers/hocr-tools-1.1.1.tar.gz"
  .venv/bin/python - "$readers" <<'CODE'
import sys, zipfile
from pathlib import Path
folder = Path(sys.argv[1])
for wheel in folder.glob("*.whl"):
    with zipfile.ZipFile(wheel) as archive:
        archive.extractall(folder)
    wheel.unlink()
CODE
fi
