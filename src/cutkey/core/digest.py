"""Digests of settings and arrays: the keys under which results are remembered."""

from __future__ import annotations

import hashlib
from typing import Any

import msgspec


def digest_bytes(data: bytes) -> str:
    """Hexadecimal BLAKE2b digest (160 bit) of raw bytes."""
    return hashlib.blake2b(data, digest_size=20).hexdigest()


def digest(*values: Any) -> str:
    """Digest of any mix of settings (msgspec structs, plain values), arrays and other digests."""
    h = hashlib.blake2b(digest_size=20)
    for value in values:
        if hasattr(value, "dtype"):
            # An array: told by what it has, since nothing that computes is loaded for a digest.
            h.update(f"{value.dtype}{value.shape}".encode())
            h.update(value.tobytes())
        else:
            h.update(type(value).__name__.encode())
            h.update(msgspec.json.encode(value))
        h.update(b"\0")
    return h.hexdigest()
