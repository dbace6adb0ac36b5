#!/bin/sh
# Makes a Debian package of a built program: release/deb.sh VERSION ARCH PROGRAM OUT.deb
# The program is static; man pages and completion are written by FILLER, one that runs here.
set -eu
version=$1 arch=$2 program=$3 out=$4
filler=${FILLER:-$program}
root=$(mktemp -d)
trap 'rm -rf "$root"' EXIT
install -D -m 755 "$program" "$root/usr/bin/filler"
"$filler" docs man --to "$root/usr/share/man" 2>/dev/null
find "$root/usr/share/man" -type f -exec gzip -9n {} +
mkdir -p "$root/usr/share/bash-completion/completions" "$root/usr/share/zsh/vendor-completions" "$root/usr/share/fish/vendor_completions.d" "$root/usr/share/doc/filler" "$root/DEBIAN"
"$filler" completion bash > "$root/usr/share/bash-completion/completions/filler"
"$filler" completion zsh > "$root/usr/share/zsh/vendor-completions/_filler"
"$filler" completion fish > "$root/usr/share/fish/vendor_completions.d/filler.fish"
cp LICENSE "$root/usr/share/doc/filler/copyright"
"$filler" version --licences > "$root/usr/share/doc/filler/licences"
gzip -9nc CHANGELOG.md > "$root/usr/share/doc/filler/changelog.gz"
find "$root" -type d -exec chmod 755 {} +
find "$root/usr/share" -type f -exec chmod 644 {} +
cat > "$root/DEBIAN/control" <<END
Package: filler
Version: $version
Architecture: $arch
Maintainer: The Filler project <filler@ossel-paths.example>
Section: text
Priority: optional
Suggests: tesseract-ocr
Installed-Size: $(du -sk "$root/usr" | cut -f1)
Description: fills records from documents with a language model
 Filler has a language model fill nested records from documents by a schema,
 checks and repairs what comes back, shows where in the document each value
 stands, and measures field accuracy against reviewed records.
END
SOURCE_DATE_EPOCH=${SOURCE_DATE_EPOCH:-0} dpkg-deb --root-owner-group -Zxz --build "$root" "$out" > /dev/null
