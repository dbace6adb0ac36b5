#!/usr/bin/env bash
# Renders the sheets as page images, a little turned and blurred as scans are,
# and has tesseract read them: hOCR, ALTO and TSV from one run. Needs
# imagemagick, tesseract-ocr and fonts-dejavu. Run it from the repository's
# root, between two runs of `go run ./internal/demo/make` (the second signs the
# gold for the text read).
set -euo pipefail
cd internal/demo/project
mkdir -p documents/scans
turn=(0.4 -0.6 0.3 -0.3)
form=(hocr xml)
n=0
for text in pages/scans/*.txt; do
  name=$(basename "$text" .txt)
  # /usr/bin: another program of this name may stand before it in the path.
  /usr/bin/convert -background white -fill '#222' -font DejaVu-Sans-Mono -pointsize 14 -density 110 label:"$(cat "$text")" \
    -bordercolor white -border 60x60 -rotate "${turn[$((n % 4))]}" -background white -seed 7 \
    -attenuate 0.35 +noise Gaussian -blur 0x0.9 -resize 62% -colorspace Gray -depth 4 -define png:compression-level=9 "pages/scans/$name.png"
  # From the folder of the document, so that it names its picture by a path
  # that holds wherever the project lies.
  (cd documents/scans && tesseract "../../pages/scans/$name.png" "../../pages/scans/$name" hocr alto tsv 2>/dev/null)
  cp "pages/scans/$name.${form[$((n % 2))]}" "documents/scans/$name.${form[$((n % 2))]}"
  n=$((n + 1))
done
