#!/bin/sh
# Copy fonts, styles and scripts from their npm packages into the app, with licences and pre-compressed.
# To upgrade: change a version in package.json, run this, run ./eproba test, look at the pages, commit.
set -eu
here=$(cd "$(dirname "$0")" && pwd)
out="$here/../src/eproba/web/static/vendor"
cd "$here"
npm install --silent --no-fund --no-audit
# The lock keeps versions and checksums, no addresses.
node -e 'const f="package-lock.json",l=JSON.parse(require("fs").readFileSync(f));for(const p of Object.values(l.packages))delete p.resolved;require("fs").writeFileSync(f,JSON.stringify(l,null,2)+"\n")'
rm -rf "$out"
mkdir -p "$out/fonts" "$out/licences" "$here/../tests/vendor"
# In the lowest layer: whatever Eproba says in its own layers wins.
{
  printf '@layer bulma{'
  npx sass --no-source-map --style=compressed --quiet-deps --load-path=node_modules bulma.scss
  printf '}\n'
} >"$out/bulma.css"
npx esbuild charts.js --bundle --minify --format=iife --legal-comments=none --log-level=warning --outfile="$out/charts.js"
cp node_modules/@alpinejs/csp/dist/cdn.min.js "$out/alpine-csp.js"
cp node_modules/@fontsource-variable/bricolage-grotesque/files/bricolage-grotesque-latin-wght-normal.woff2 "$out/fonts/"
for face in latin-400-normal latin-700-normal latin-400-italic latin-ext-400-normal latin-ext-700-normal; do
  cp "node_modules/@fontsource/atkinson-hyperlegible/files/atkinson-hyperlegible-$face.woff2" "$out/fonts/"
done
cp node_modules/axe-core/axe.min.js "$here/../tests/vendor/axe.min.js"
for package in @alpinejs/csp @fontsource-variable/bricolage-grotesque @fontsource/atkinson-hyperlegible @observablehq/plot bulma d3; do
  name=$(echo "$package" | tr -d '@' | tr '/' '-')
  for licence in "node_modules/$package/LICENSE" "node_modules/$package/LICENSE.md" "node_modules/$package/LICENSE.txt"; do
    [ ! -f "$licence" ] || cp "$licence" "$out/licences/$name.txt"
  done
done
cp "$here/licences/"*.txt "$out/licences/"
rm -rf node_modules
