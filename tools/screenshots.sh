#!/usr/bin/env bash
# Makes docs/screenshots/*.png: each main command in a terminal window of about 1280×800 under Xvfb.
# Needs xvfb, xterm and imagemagick (Debian's packages). Look at every picture that it makes.
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

vast-ferry demo --out "$work/kept" >/dev/null
shot demo "vast-ferry demo"
cp -r "$work/kept/apiary" "$work/apiary"
(cd "$work" && vast-ferry carry apiary --to thornwick@1 --out ported >/dev/null)
sed -i 's/"kg": 1000/"kg": 1024/' "$work/ported/handlers/hives.py"
sed -i 's/post("packing"/post("packed"/' "$work/ported/handlers/orders.py"
shot check "echo -e '\$ vast-ferry check ported\n'; vast-ferry check ported"
say() { echo "echo -e '\$ $1\\n'; $1"; }
shot profile-show "$(say 'vast-ferry profile show ostermere@1 --to wsgi --kind http')"
shot survey "$(say 'vast-ferry survey apiary')"
shot gaps "echo -e '\$ vast-ferry gaps apiary --to brackendale\n'; FORCE_COLOR=1 COLUMNS=157 vast-ferry gaps apiary --to brackendale | head -43"
shot carry "$(say 'vast-ferry carry apiary --to wsgi --out there')"
shot lint "$(say 'vast-ferry profile lint cloudevents --examples 50')"
shot convert "$(say 'vast-ferry event convert apiary/samples/record_inspection/captured.json --from ostermere@1 --to brackendale')"
(cd "$work" && vast-ferry gaps apiary --to brackendale --calls 20000000 --mean-ms 80 --gb-out 40 --plot "$out/cost.png" >/dev/null) || true
vast-ferry profile fidelity --plot "$out/fidelity.png" >/dev/null
shot fidelity-table "$(say 'vast-ferry profile fidelity')"
