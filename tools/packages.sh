#!/bin/sh
# Installs the Debian packages that are named and not there yet.
set -eu
missing=""
for p in "$@"; do
	dpkg-query -W -f '${Status}' "$p" 2>/dev/null | grep -q 'install ok installed' || missing="$missing $p"
done
[ -z "$missing" ] && exit 0
as=""
[ "$(id -u)" = 0 ] || as="sudo"
export DEBIAN_FRONTEND=noninteractive
echo "installing:$missing"
$as apt-get update -qq
# shellcheck disable=SC2086
$as apt-get install -y -qq --no-install-recommends $missing >/dev/null
