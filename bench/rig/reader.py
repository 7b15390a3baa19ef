#!/usr/bin/env python3
"""Reads every seat and every account all the time and knows nothing of Tolvin but what is in their files.

The law: the key that a seat's file holds is one that the account's file accepts. At the end: foreign lines,
doubled entries, files left behind, and what Tolvin has on record against what the servers hold.

  reader.py watch CONFIG OUT    until it gets SIGTERM; OUT gets a line for each violation, then a summary
  reader.py final CONFIG RECORD  RECORD is what Tolvin says: {"account": ["line", ...]}; prints a summary
"""
import base64, collections, hashlib, json, os, signal, sys, time


def read(path):
    with open(path, "rb") as file:
        return file.read()


def offered(path):
    """The public key at the head of a private file in OpenSSH's form, as it stands in authorized_keys."""
    text = read(path).split(b"-----")[2]
    blob = base64.b64decode(text)
    if not blob.startswith(b"openssh-key-v1\0"):
        raise ValueError(path + " is no private file")
    at = 15
    for _ in range(3):
        at += 4 + int.from_bytes(blob[at:at + 4], "big")
    at += 4
    length = int.from_bytes(blob[at:at + 4], "big")
    return base64.b64encode(blob[at + 4:at + 4 + length])


def entries(path):
    return [line for line in read(path).split(b"\n") if line.strip() and not line.startswith(b"#")]


def keys(lines):
    return {word for line in lines for word in line.split() if word.startswith(b"AAAA")}


def watch(config, out):
    stop = []
    signal.signal(signal.SIGTERM, lambda *_: stop.append(1))
    looks = broken = 0
    last = {}
    with open(out, "w", buffering=1) as log:
        while not stop:
            for pair in config["pairs"]:
                try:
                    before = offered(pair["seat"])
                    accepted = keys(entries(pair["account"]))
                    after = offered(pair["seat"])
                except (OSError, ValueError, IndexError) as error:
                    log.write("%.3f unreadable %s %s\n" % (time.time(), pair["name"], error))
                    broken += 1
                    continue
                looks += 1
                if before not in accepted and after not in accepted:
                    what = "%s offers %s" % (pair["name"], after[-12:].decode())
                    if last.get(pair["name"]) != what:
                        last[pair["name"]] = what
                        broken += 1
                        log.write("%.3f broken %s\n" % (time.time(), what))
                else:
                    last.pop(pair["name"], None)
            time.sleep(0.02)
        log.write(json.dumps({"looks": looks, "broken": broken}) + "\n")


def fingerprint(line):
    blob = next(word for word in line.split() if word.startswith(b"AAAA"))
    return base64.b64encode(hashlib.sha256(base64.b64decode(blob)).digest()).rstrip(b"=").decode()


def final(config, record):
    foreign = doubled = differing = unfit = 0
    left = []
    for pair in config["pairs"]:
        there = entries(pair["account"])
        ours = [line for line in there if b"tolvin:" in line]
        others = [line for line in there if b"tolvin:" not in line]
        wanted = [line.encode() for line in json.loads(read(pair["foreign"]))]
        if collections.Counter(others) != collections.Counter(wanted):
            foreign += 1
            print("foreign lines of", pair["name"], "differ:", others, wanted, file=sys.stderr)
        if len({fingerprint(line) for line in ours}) != len(ours):
            doubled += 1
        agreed = sorted(record.get(pair["login"], []))
        if sorted(line.decode() for line in ours) != agreed:
            differing += 1
            print("on record for", pair["name"], agreed, "there", ours, file=sys.stderr)
        if oct(os.stat(pair["seat"]).st_mode & 0o777) != "0o600":
            unfit += 1
        if offered(pair["seat"]) not in keys(there):
            unfit += 1
            print(pair["name"], "cannot sign in", file=sys.stderr)
    for root in config["roots"]:
        for directory, _, names in os.walk(root):
            left += [os.path.join(directory, n) for n in names if ".tolvin-" in n or n.endswith(".before")]
    for path in left:
        print("left:", path, file=sys.stderr)
    print(json.dumps({"foreign": foreign, "doubled": doubled, "differing": differing, "unfit": unfit,
                      "left": len(left)}))


if __name__ == "__main__":
    settings = json.loads(read(sys.argv[2]))
    if sys.argv[1] == "watch":
        watch(settings, sys.argv[3])
    else:
        final(settings, json.loads(read(sys.argv[3])))
