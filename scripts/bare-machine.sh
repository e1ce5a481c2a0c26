#!/usr/bin/env bash
# Rehearses ./start and ./test on a Debian that has nothing but python3 and git, as root and as a user with sudo.
# usage (as root): scripts/bare-machine.sh [FOLDER]     a fresh Debian is put into FOLDER (var/bare-machine)
#
# What this machine knows of package sources (apt, pip, certificates) is copied in, so that no address stands here.
# Wants debootstrap and some 3 GB; takes about as long as a download of all packages and two runs of the tests.
set -euo pipefail

root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
bare=$(realpath -m "${1:-$root/var/bare-machine}")
release=$(. /etc/os-release && echo "$VERSION_CODENAME")
port=8799

say() { printf '%s\n' "== $*" >&2; }
fail() { printf '%s\n' "$*" >&2; exit 1; }

[ "$(id -u)" -eq 0 ] || fail "A chroot is made: run this as root."
command -v debootstrap >/dev/null || fail "debootstrap is wanted: apt-get install debootstrap."

# -- the bare machine ----------------------------------------------------------

mirror=$(apt-get indextargets --format '$(REPO_URI) $(CODENAME)' 'Created-By: Packages' |
    awk -v release="$release" '$2 == release {print $1; exit}')
[ -n "$mirror" ] || fail "apt names no source for $release here: run apt-get update first."

unmount() {
    for place in dev/shm dev proc; do
        mountpoint -q "$bare/$place" && umount "$bare/$place"
    done
    return 0
}
trap unmount EXIT

# copy_settings: hands over how this machine reaches its packages.
copy_settings() {
    local setting
    for setting in /etc/apt /etc/pip.conf /etc/xdg/pip /root/.config/pip /etc/resolv.conf /etc/ssl/certs \
        /usr/share/ca-certificates /usr/local/share/ca-certificates; do
        [ -e "$setting" ] || continue
        mkdir -p "$bare$(dirname "$setting")"
        rm -rf "${bare:?}$setting"
        cp -aL "$setting" "$bare$setting"
    done
    env | grep -E '^(PIP_|SSL_|REQUESTS_|CURL_|http_proxy|https_proxy|no_proxy)' >"$bare/etc/machine-environment" || true
}

if [ ! -f "$bare/etc/debian_version" ]; then
    say "making a bare $release in $bare"
    debootstrap --variant=minbase --include=python3,git,ca-certificates,sudo "$release" "$bare" "$mirror" >/dev/null
fi
copy_settings
mount -t proc proc "$bare/proc"
mount --bind /dev "$bare/dev"
mount -t tmpfs tmpfs "$bare/dev/shm"

# inside USER COMMAND…: runs a command there, with no more of this machine's environment than its sources need.
inside() {
    local user=$1 home
    shift
    home=$([ "$user" = root ] && echo /root || echo "/home/$user")
    # shellcheck disable=SC2046
    env -i $(cat "$bare/etc/machine-environment") HOME="$home" LANG=C.UTF-8 \
        PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin \
        chroot --userspec="$user" "$bare" bash -c "cd $home && $*"
}

# -- the rehearsal ---------------------------------------------------------------

# answers: does the program answer on its port yet?
answers() {
    python3 - "$port" <<'PY'
import sys
from urllib.request import urlopen
urlopen(f"http://127.0.0.1:{sys.argv[1]}/who", timeout=2).read()
PY
}

# rehearse USER: a fresh clone of what is committed, first ./start, then ./test.
rehearse() {
    local user=$1 began=$SECONDS waited=0 home program
    home=$([ "$user" = root ] && echo /root || echo "/home/$user")
    rm -rf "$bare$home/zygometra"
    git clone -q --no-hardlinks "$root" "$bare$home/zygometra"
    inside root "chown -R $user: $home/zygometra"
    say "$user: ./start"
    inside "$user" "cd zygometra && exec ./start --port $port" >"$bare/tmp/start-$user.log" 2>&1 &
    program=$!
    until answers 2>/dev/null; do
        kill -0 "$program" 2>/dev/null || fail "./start ended: $(tail -3 "$bare/tmp/start-$user.log")"
        waited=$((waited + 1))
        [ "$waited" -lt 900 ] || fail "./start did not answer within 15 minutes."
        sleep 1
    done
    say "$user: ./start answered after $((SECONDS - began)) s"
    pkill -TERM -P "$program" 2>/dev/null || kill -TERM "$program"
    wait "$program" || true
    began=$SECONDS
    say "$user: ./test"
    inside "$user" "cd zygometra && ./test" >"$bare/tmp/test-$user.log" 2>&1 ||
        fail "./test failed as $user: $(tail -20 "$bare/tmp/test-$user.log")"
    say "$user: ./test passed after $((SECONDS - began)) s: $(grep -E '[0-9]+ passed' "$bare/tmp/test-$user.log" | tail -1)"
}

inside root "id -u builder >/dev/null 2>&1 || useradd -m builder"
echo "builder ALL=(ALL) NOPASSWD: ALL" >"$bare/etc/sudoers.d/builder"
rehearse root
rehearse builder
