"""Device profiles: those that ship, and those a person typed in."""

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


def _out(device: Device) -> DeviceOut:
    fields = {name: getattr(device, name) for name in DeviceProfile.model_fields}
    return DeviceOut(id=device.pk, profile=DeviceProfile.model_validate(fields))


@router.get("/devices", response=list[DeviceOut])
def list_devices(request: HttpRequest) -> list[DeviceOut]:
    own = [_out(device) for device in Device.objects.filter(owner=user_of(request))]
    return [DeviceOut(id=None, profile=profile) for profile in SHIPPED] + own


@router.post("/devices", response=DeviceOut)
def create_device(request: HttpRequest, payload: DeviceProfile) -> DeviceOut:
    return _out(Device.objects.create(owner=user_of(request), **payload.model_dump()))


@router.put("/devices/{uuid:device_id}", response=DeviceOut)
def edit_device(request: HttpRequest, device_id: UUID, payload: DeviceProfile) -> DeviceOut:
    device = get_object_or_404(Device, owner=user_of(request), pk=device_id)
    for name, value in payload.model_dump().items():
        setattr(device, name, value)
    device.save()
    return _out(device)


@router.delete("/devices/{uuid:device_id}", response={204: None})
def delete_device(request: HttpRequest, device_id: UUID) -> tuple[int, None]:
    get_object_or_404(Device, owner=user_of(request), pk=device_id).delete()
    return 204, None
