#!/usr/bin/env bash
# Fetches the browser libraries and fonts that ship with the application.
# Only needed to move to newer versions: what it makes is kept in the repository.
set -euo pipefail
cd "$(dirname "$0")/.."
out=hotgravel/web/static/vendor
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

unpack() { # package, version, folder
  (cd "$work" && npm pack --silent "$1@$2" >/dev/null && mkdir "$3" && tar xzf ./*.tgz -C "$3" --strip-components=1 && rm ./*.tgz)
}
unpack three 0.187.0 three
unpack htmx.org 2.0.11 htmx
unpack @alpinejs/csp 3.17.4 alpine
unpack bootstrap 5.3.9 bootstrap
unpack @fontsource-variable/bricolage-grotesque 5.3.0 bricolage
unpack @fontsource-variable/atkinson-hyperlegible-next 5.3.0 next
unpack @fontsource-variable/atkinson-hyperlegible-mono 5.3.0 mono

rm -rf "$out" && mkdir -p "$out/three" "$out/fonts"
cp "$work"/three/build/three.{module,core}.js "$work/three/examples/jsm/controls/OrbitControls.js" "$work/three/LICENSE" "$out/three/"
sed -i "s|from .three.;|from './three.module.js';|" "$out/three/OrbitControls.js"
cp "$work/htmx/dist/htmx.min.js" "$out/htmx.min.js"
cp "$work/htmx/LICENSE" "$out/htmx.LICENSE"
cp "$work/alpine/dist/cdn.min.js" "$out/alpine.csp.min.js"
cp "$work/bootstrap/dist/css/bootstrap.min.css" "$out/bootstrap.min.css"
sed -i '/sourceMappingURL/d' "$out/bootstrap.min.css"
cp "$work/bootstrap/LICENSE" "$out/bootstrap.LICENSE"
cp "$work"/bricolage/files/bricolage-grotesque-latin-wght-normal.woff2 \
   "$work"/next/files/atkinson-hyperlegible-next-latin-wght-{normal,italic}.woff2 \
   "$work"/mono/files/atkinson-hyperlegible-mono-latin-wght-normal.woff2 "$out/fonts/"
cp "$work/next/LICENSE" "$out/fonts/atkinson-hyperlegible.LICENSE"
cp "$work/bricolage/LICENSE" "$out/fonts/bricolage-grotesque.LICENSE"
