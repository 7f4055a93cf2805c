#!/usr/bin/env bash
# Makes docs/screenshots/*.png and the text of each: main commands in a terminal window of about 1280×800 under Xvfb.
# Needs xvfb, xterm, imagemagick and chromium (Debian's packages). Look at every picture that it makes.
set -euo pipefail
cd "$(dirname "$0")/.."
top=$PWD out=$PWD/docs/screenshots work=$(mktemp -d)
export PATH=$top/.venv/bin:$PATH DISPLAY=:97 LC_ALL=C.UTF-8
Xvfb :97 -screen 0 1280x800x24 >/dev/null 2>&1 &
server=$!
trap 'kill $server; rm -rf "$work"' EXIT
sleep 1

shot() { # NAME COMMAND: what the command leaves on the screen
  (cd "$work" && xterm -geometry 158x46+0+0 -fa 'DejaVu Sans Mono' -fs 9.5 -bg '#14171c' -fg '#d8dce2' -xrm 'xterm*color4: #6aa7ff' \
    -e bash -c "$2; touch $work/done; sleep 20" >/dev/null 2>&1) &
  for _ in $(seq 400); do [ -e "$work/done" ] && break; sleep 0.2; done
  sleep 0.7
  import -window root "$out/$1.png"
  pkill -f 'xterm -geometry 158x46' || true
  rm -f "$work/done"
  wait %2 2>/dev/null || true
}

python -c "import sys; sys.path.insert(0, '$top/tools'); import pictures, pathlib; pictures.prepare(pathlib.Path('$work'))"
typed() { python -c "import sys; sys.path.insert(0, '$top/tools'); import pictures; print(pictures.PICTURES['$1'])"; }
say() { echo "echo -e '\$ $(typed "$1")\\n'; $(typed "$1")"; }
for name in ${ONLY:-demo check strength call serve profile-show survey carry try answers lint convert fidelity-table import}; do shot $name "$(say $name)"; done
shot gaps "echo -e '\$ $(typed gaps)\n'; FORCE_COLOR=1 COLUMNS=157 $(typed gaps) | head -43"
(cd "$work" && $(typed cost) --plot "$out/cost.png" >/dev/null) || true
vast-ferry profile fidelity --plot "$out/fidelity.png" >/dev/null
(cd "$work" && $(typed side-by-side) >/dev/null) || true
(cd "$work" && $(typed check-page) >/dev/null) || true
page() { # NAME FILE
  chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update \
    --disable-sync --user-data-dir="$work/chromium" --window-size=1280,800 --screenshot="$out/$1.png" "file://$work/$2" >/dev/null 2>&1
}
page side-by-side page.html
page check-page checked.html
python tools/pictures.py
