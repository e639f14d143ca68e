"""Whose request it is, by address: behind a proxy that is trusted, the one that the proxy was asked by."""

from ipaddress import ip_address, ip_network

from django.conf import settings
from django.http import HttpRequest


def client_address(request: HttpRequest) -> str:
    """The nearest address that is no trusted proxy's. What a stranger writes into the header counts for
    nothing: only what trusted proxies added behind it is read.
    """
    at = str(request.META.get("REMOTE_ADDR", ""))
    if not settings.TRUSTED_PROXIES:
        return at
    forwarded = [p.strip() for p in request.META.get("HTTP_X_FORWARDED_FOR", "").split(",")]
    while _trusted(at) and forwarded:
        told = forwarded.pop()
        if not _is_address(told):
            break
        at = told
    return at


def is_local(request: HttpRequest) -> bool:
    at = client_address(request)
    return _is_address(at) and ip_address(at).is_loopback


def _trusted(address: str) -> bool:
    return _is_address(address) and any(
        ip_address(address) in ip_network(one, strict=False) for one in settings.TRUSTED_PROXIES
    )


def _is_address(text: str) -> bool:
    try:
        ip_address(text)
    except ValueError:
        return False
    return True
