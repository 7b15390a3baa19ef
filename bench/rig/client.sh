#!/usr/bin/env bash
# Signs in again and again with the machine's own ssh, as a scheduled job would; a line for each time:
# begun, ended, exit status, what ssh said.
#   client.sh LOG PORT LOGIN ADDRESS SECONDS KEY [FORMER-KEY]
log=$1 port=$2 login=$3 address=$4 seconds=$5
shift 5
keys=(); for key in "$@"; do keys+=(-o "IdentityFile=$key"); done
while :; do
  begun=$(date +%s.%3N)
  said=$(timeout 90 ssh -F none -n -b "$address" -p "$port" "${keys[@]}" -o IdentitiesOnly=yes -o IdentityAgent=none \
    -o BatchMode=yes -o StrictHostKeyChecking=no -o UserKnownHostsFile=/dev/null -o LogLevel=ERROR \
    -o KexAlgorithms=curve25519-sha256 -o ConnectTimeout=60 "$login@127.0.0.1" true 2>&1)
  status=$?
  said=${said//$'\r'/}
  printf '%s %s %s %s\n' "$begun" "$(date +%s.%3N)" "$status" "${said//$'\n'/ | }" >> "$log"
  sleep "$seconds"
done
