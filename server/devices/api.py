"""Device profiles: those that ship, and those a person typed in."""

from typing import Any
from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router
from pydantic import Field

from core.devices import SHIPPED, DeviceProfile
from core.edge import Edge
from server.config.auth import user_of
from server.devices.models import Device

router = Router(tags=["devices"])


class DeviceOut(Edge):
    id: UUID | None = Field(description="Null for a profile that ships")
    profile: DeviceProfile


OWN = ("name", "min_ms", "max_ms", "step_ms")


def _out(device: Device) -> DeviceOut:
    fields = {name: getattr(device, name) for name in OWN} | device.more
    return DeviceOut(id=device.pk, profile=DeviceProfile.model_validate(fields))


def _fields(profile: DeviceProfile) -> dict[str, Any]:
    more = profile.model_dump(mode="json", exclude=set(OWN), exclude_defaults=True)
    return {name: getattr(profile, name) for name in OWN} | {"more": more}


@router.get("/devices", response=list[DeviceOut])
def list_devices(request: HttpRequest) -> list[DeviceOut]:
    own = [_out(device) for device in Device.objects.filter(owner=user_of(request))]
    return [DeviceOut(id=None, profile=profile) for profile in SHIPPED] + own


@router.post("/devices", response=DeviceOut)
def create_device(request: HttpRequest, payload: DeviceProfile) -> DeviceOut:
    return _out(Device.objects.create(owner=user_of(request), **_fields(payload)))


@router.put("/devices/{uuid:device_id}", response=DeviceOut)
def edit_device(request: HttpRequest, device_id: UUID, payload: DeviceProfile) -> DeviceOut:
    device = get_object_or_404(Device, owner=user_of(request), pk=device_id)
    for name, value in _fields(payload).items():
        setattr(device, name, value)
    device.save()
    return _out(device)


@router.delete("/devices/{uuid:device_id}", response={204: None})
def delete_device(request: HttpRequest, device_id: UUID) -> tuple[int, None]:
    get_object_or_404(Device, owner=user_of(request), pk=device_id).delete()
    return 204, None
