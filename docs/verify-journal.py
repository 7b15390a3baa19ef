#!/usr/bin/env python3
"""Checks an exported journal of Tolvin without any of Tolvin's code, and without any package.

It is written from docs/journal.md alone: SHA-256 (FIPS 180-4), Ed25519 (RFC 8032 section 5.1.7)."""
import argparse, base64, datetime, hashlib, json, struct, sys, uuid

P = 2**255 - 19
D = -121665 * pow(121666, P - 2, P) % P
L = 2**252 + 27742317777372353535851937790883648493

def add(a, b):
    (x1, y1, z1, t1), (x2, y2, z2, t2) = a, b
    e, f = (y1 - x1) * (y2 - x2), (y1 + x1) * (y2 + x2)
    c, d = 2 * t1 * t2 * D, 2 * z1 * z2
    e, h, f, g = f - e, f + e, d - c, d + c
    return e * f % P, g * h % P, f * g % P, e * h % P

def times(n, point):
    out = (0, 1, 1, 0)
    while n:
        if n & 1:
            out = add(out, point)
        point, n = add(point, point), n >> 1
    return out

def point(encoded):
    y = int.from_bytes(encoded, "little")
    sign, y = y >> 255, y & (2**255 - 1)
    square = (y * y - 1) * pow(D * y * y + 1, P - 2, P) % P
    x = pow(square, (P + 3) // 8, P)
    if x * x % P != square:
        x = x * pow(2, (P - 1) // 4, P) % P
    if y >= P or x * x % P != square:
        raise ValueError("no point of the curve")
    return (P - x if x & 1 != sign else x), y, 1, (P - x if x & 1 != sign else x) * y % P


BASE = point(bytes.fromhex("58" + "66" * 31))

def signed(key, message, signature):
    try:
        r, s = signature[:32], int.from_bytes(signature[32:], "little")
        h = int.from_bytes(hashlib.sha512(r + key + message).digest(), "little") % L
        x1, y1, z1, _ = times(s, BASE)
        x2, y2, z2, _ = add(point(r), times(h, point(key)))
        return len(signature) == 64 and s < L and (x1 * z2 - x2 * z1) % P == (y1 * z2 - y2 * z1) % P == 0
    except ValueError:
        return False

def link(before, e):
    when, _, fraction = e["at"].rstrip("Z").partition(".")
    seconds = datetime.datetime.fromisoformat(when + "+00:00").timestamp()
    out = before + struct.pack(">q", e["number"]) + uuid.UUID(e["id"]).bytes
    out += struct.pack(">qi", int(seconds), int(fraction.ljust(9, "0") or 0))
    for field in ("actor", "action", "subject", "text", "data"):
        utf8 = e[field].encode()
        out += struct.pack(">i", len(utf8)) + utf8
    return hashlib.sha256(out).digest()

def check(lines, known, key):
    head = json.loads(next(lines))
    key = base64.b64decode(key or head["key"])[-32:]
    number, before = head["from"], bytes.fromhex(head["link"])
    last_signed, least, renamed = number, known[0] if known else 0, set()
    if known and known[0] <= number and known != (number, before):
        return number, before, f"Entry {known[0] + 1} is missing." if known[0] < number else f"Entry {number} is not what was sealed."
    ended = False
    for e in map(json.loads, lines):
        if "person" in e:
            if e["name"] is not None and hashlib.sha256(bytes.fromhex(e["salt"]) + e["name"].encode()).hexdigest() != e["person"]:
                renamed.add(e["person"])
        elif "end" in e:
            ended, least = True, max(least, e["end"])
        elif e["number"] <= number:
            return number, before, f"Entry {e['number']} is there a second time."
        elif e["number"] != number + 1:
            return number, before, f"Entry {number + 1} is missing."
        elif link(before, e).hex() != e["link"]:
            return number, before, f"Entry {e['number']} is not what was sealed."
        elif "signature" in e and not signed(key, bytes.fromhex(e["link"]), base64.b64decode(e["signature"])):
            return number, before, f"The signature at entry {e['number']} is not the journal's key's."
        elif e["actor"] in renamed:
            return number, before, f"Entry {e['number']} is put down to another name than the one sealed."
        else:
            number, before = e["number"], bytes.fromhex(e["link"])
            last_signed = number if "signature" in e else last_signed
            if known and known[0] == number and known[1] != before:
                return number, before, f"Entry {number} is not what was sealed."
    cut = not ended or last_signed < number or number < least
    return number, before, f"The journal is cut off behind entry {number}." if cut else None

arguments = argparse.ArgumentParser()
arguments.add_argument("file")
arguments.add_argument("--from", dest="known", type=lambda t: (int(t.split(":")[0]), bytes.fromhex(t.split(":")[1])))
arguments.add_argument("--key")
given = arguments.parse_args()
with open(given.file, encoding="utf-8") as file:
    number, reached, wrong = check(iter(file), given.known, given.key)
print(wrong or f"{number}:{reached.hex()}")
sys.exit(1 if wrong else 0)
