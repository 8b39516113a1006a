#!/bin/sh
# Adds the packages of Gullwatch to this host: curl http://deb.gullwatch.example/setup.sh | sudo sh
set -e
CHANNEL="${CHANNEL:-main}"
BASE="http://deb.gullwatch.example"

say() { printf 'gullwatch: %s\n' "$*"; }
die() { say "$*" >&2; exit 1; }
have() { command -v "$1" >/dev/null 2>&1; }

case "$(uname -m)" in
  x86_64|amd64) arch=amd64 ;;
  *) die "no packages for this processor" ;;
esac
. /etc/os-release
if have apt-get; then
  ring="/usr/share/keyrings/gullwatch.gpg"
  curl -fsSL "$BASE/key.asc" | gpg --dearmor > "$ring"
  echo "deb [arch=$arch signed-by=$ring] $BASE/apt $VERSION_CODENAME $CHANNEL" \
    > /etc/apt/sources.list.d/gullwatch.list
  apt-get update
elif have dnf; then
  rpm --import http://rpm.gullwatch.example/key.asc
  cat > /etc/yum.repos.d/gullwatch.repo <<EOF
[gullwatch]
name=Gullwatch
baseurl=http://rpm.gullwatch.example/ls${VERSION_ID%%.*}
gpgcheck=1
gpgkey=http://rpm.gullwatch.example/key.asc
EOF
else
  die "this system is not known"
fi
curl -fsSL "$BASE/check.py" | python3 -
say "now install gullwatch"
