#!/bin/sh
# Prints where tests keep what lives for a second: in memory where 4 GB of it are free and programs may run there, else the usual place.
# Databases are made and removed by the hundred, and disks take their time over small files.
place=${TMPDIR:-/tmp}
free=$(df -Pk /dev/shm 2>/dev/null | awk 'NR == 2 { print $4 }')
if [ "${free:-0}" -gt 4000000 ] && probe=$(mktemp /dev/shm/trundo-probe.XXXXXX 2>/dev/null); then
  printf '#!/bin/sh\nexit 0\n' >"$probe"
  chmod +x "$probe"
  "$probe" 2>/dev/null && place=/dev/shm
  rm -f "$probe"
fi
echo "$place"
