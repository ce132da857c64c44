#!/usr/bin/env bash
# Build a Debian package of North Hush with its locked Python packages: packaging/deb.sh PYTHON OUT [LIBRARY...]
set -euo pipefail
python=$1 out=$2; shift 2
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
version=$("$python" -c 'import tomllib, sys; print(tomllib.load(open(sys.argv[1], "rb"))["project"]["version"])' "$root/pyproject.toml")
minor=$("$python" -c 'import sys; print(sys.version_info[1])')
tree=$(mktemp -d); trap 'rm -rf "$tree"' EXIT
lib=$tree/usr/lib/north-hush
mkdir -p "$lib" "$tree/usr/bin" "$tree/DEBIAN" "$tree/usr/share/doc/north-hush"
echo "Collecting the locked packages" >&2
# Only what the program itself needs: the lock also holds what its tests and checks need.
"$python" - "$root" >"$tree/wanted.txt" <<'PY'
import sys, tomllib
print("\n".join(tomllib.load(open(f"{sys.argv[1]}/pyproject.toml", "rb"))["project"]["dependencies"]))
PY
grep -v -- '--hash' "$root/requirements-install.lock" | sed 's/ \\$//' >"$tree/constraints.txt"
"$python" -m pip install --quiet --disable-pip-version-check --target "$lib" -r "$tree/wanted.txt" -c "$tree/constraints.txt"
"$python" -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --target "$lib" "$root"
rm -rf "$tree/wanted.txt" "$tree/constraints.txt" "$lib/bin"
[ ! -d "$lib/share" ] || { mkdir -p "$tree/usr/share" && cp -r "$lib/share/." "$tree/usr/share/" && rm -rf "$lib/share"; }
cat >"$tree/usr/bin/north-hush" <<'SH'
#!/bin/sh
PYTHONPATH=/usr/lib/north-hush${PYTHONPATH:+:$PYTHONPATH} exec /usr/bin/python3 -m north_hush "$@"
SH
chmod 755 "$tree/usr/bin/north-hush"
cp "$root/LICENSE" "$tree/usr/share/doc/north-hush/copyright"
depends="python3 (>= 3.$minor), python3 (<< 3.$((minor + 1)))"
for library in "$@"; do depends+=", $library"; done
cat >"$tree/DEBIAN/control" <<CONTROL
Package: north-hush
Version: $version
Architecture: $(dpkg --print-architecture)
Maintainer: The North Hush founders <founders@north-hush.invalid>
Depends: $depends
Installed-Size: $(du -sk "$tree/usr" | cut -f1)
Section: video
Priority: optional
Description: Tune motion detection of fixed cameras against recorded footage
 Every setting is replayed over all footage at once, before anything goes
 into the camera.
CONTROL
mkdir -p "$out"
dpkg-deb --root-owner-group -Zxz -z1 --build "$tree" "$out/north-hush_${version}_$(dpkg --print-architecture).deb" >&2
echo "$out/north-hush_${version}_$(dpkg --print-architecture).deb"
