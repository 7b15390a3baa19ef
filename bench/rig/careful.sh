#!/usr/bin/env bash
# Rotates one key as a careful administrator's script does: places the new key beside the old one, tests it,
# switches the client, tests from there, removes the old key. It checks less than Tolvin: nobody is waited
# for, nothing is read back, nothing is rolled back.
#   careful.sh LOGIN SERVER-PORT KEEPER-KEY KEYS-FILE HOST-PORT HOST-KEY PRIVATE-FILE
set -euo pipefail
login=$1 server=$2 keeper=$3 keys=$4 host=$5 hostkey=$6 file=$7
common=(-F none -n -o BatchMode=yes -o StrictHostKeyChecking=no -o UserKnownHostsFile=/dev/null -o LogLevel=ERROR
  -o IdentitiesOnly=yes -o IdentityAgent=none)
work=$(mktemp -d); trap 'rm -rf "$work"' EXIT
old=$(cut -d' ' -f2 "$file.pub")
ssh-keygen -q -t ed25519 -N '' -C "$login" -f "$work/new"
ssh "${common[@]}" -p "$server" -i "$keeper" keeper@127.0.0.1 "echo '$(cat "$work/new.pub")' >> '$keys'"
ssh "${common[@]}" -p "$server" -i "$work/new" "$login@127.0.0.1" true
ssh "${common[@]/-n/-T}" -p "$host" -i "$hostkey" "$login@127.0.0.1" \
  "umask 077; cat > '$file.new' && mv '$file.new' '$file' && echo '$(cat "$work/new.pub")' > '$file.pub'" < "$work/new"
ssh "${common[@]}" -p "$server" -i "$file" "$login@127.0.0.1" true
ssh "${common[@]}" -p "$server" -i "$keeper" keeper@127.0.0.1 \
  "grep -v '$old' '$keys' > '$keys.new'; cat '$keys.new' > '$keys'; rm '$keys.new'"
