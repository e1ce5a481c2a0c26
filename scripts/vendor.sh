#!/usr/bin/env bash
# Copies the styles, scripts and fonts that ship with the application, with their licences,
# from npm packages into static/vendor (and the accessibility engine into tests). Run by hand
# when a version moves; the result is checked in, so nothing is fetched when the program runs.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
versions=(bulma@1.0.4 htmx.org@2.0.11 @fontsource/ibm-plex-sans@5.3.0 axe-core@4.14.1)
work=$(mktemp -d); trap 'rm -rf "$work"' EXIT
vendor=src/zygometra/web/static/vendor
mkdir -p "$vendor" tests/browser/vendor
for package in "${versions[@]}"; do
    name=${package%@*}; folder=$work/${name//\//-}
    mkdir -p "$folder"
    tar xzf "$work/$(cd "$work" && npm pack --silent "$package" | tail -1)" -C "$folder" --strip-components=1
done
cp "$work/bulma/css/versions/bulma-no-helpers.min.css" "$vendor/bulma.min.css"
cp "$work/bulma/LICENSE" "$vendor/bulma.LICENSE"
cp "$work/htmx.org/dist/htmx.min.js" "$vendor/htmx.min.js"
cp "$work/htmx.org/LICENSE" "$vendor/htmx.LICENSE"
for weight in 400 600; do
    cp "$work/@fontsource-ibm-plex-sans/files/ibm-plex-sans-latin-$weight-normal.woff2" "$vendor/plex-$weight.woff2"
done
cp "$work/@fontsource-ibm-plex-sans/LICENSE" "$vendor/plex.LICENSE"
cp "$work/axe-core/axe.min.js" tests/browser/vendor/axe.min.js
cp "$work/axe-core/LICENSE" tests/browser/vendor/axe.LICENSE
sed -i '/sourceMappingURL/d' "$vendor"/*.css "$vendor"/*.js
