"""Device profiles: those that ship, and those a person typed in."""

from typing import Any, Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router
from pydantic import Field

from core.devices import SHIPPED, DeviceProfile, Panel, Panels
from core.edge import Edge
from server.config.answers import download
from server.config.auth import user_of
from server.devices import panels
from server.devices.models import Device
from server.devices.models import Panel as StoredPanel
from server.devices.profiles import OWN, profile_of

router = Router(tags=["devices"])


class DeviceOut(Edge):
    id: UUID | None = Field(description="Null for a profile that ships")
    profile: DeviceProfile


class PanelOut(Edge):
    id: UUID
    panel: Panel


class PanelsIn(Edge):
    """A file of panels, and what is to be done where a name is there already."""

    file: Panels
    clash: Literal["ask", "replace", "keep"] = "ask"


class PanelsTaken(Edge):
    taken: int
    kept: list[str] = Field(description="Names of those that stayed as they were")


def _out(device: Device) -> DeviceOut:
    return DeviceOut(id=device.pk, profile=profile_of(device))


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


@router.get("/panels", response=list[PanelOut])
def list_panels(request: HttpRequest) -> list[PanelOut]:
    """How the person's devices read, by name."""
    rows = StoredPanel.objects.filter(owner=user_of(request))
    return [PanelOut(id=row.pk, panel=Panel.model_validate(row.content)) for row in rows]


@router.put("/panels", response=PanelOut)
def keep_panel(request: HttpRequest, payload: Panel) -> PanelOut:
    """In place of one of that name."""
    row = panels.keep_panel(user_of(request), payload)
    return PanelOut(id=row.pk, panel=payload)


@router.delete("/panels/{uuid:panel_id}", response={204: None})
def delete_panel(request: HttpRequest, panel_id: UUID) -> tuple[int, None]:
    get_object_or_404(StoredPanel, owner=user_of(request), pk=panel_id).delete()
    return 204, None


@router.get("/panels/file", response={200: Panels})
def panels_file(request: HttpRequest) -> HttpResponse:
    """All of them in one file."""
    file = Panels(panels=tuple(panels.panels_of(user_of(request)).values()))
    return download(file.model_dump_json(indent=2), "Fonodrome devices.json", "application/json")


@router.post("/panels/file", response=PanelsTaken)
def take_panels(request: HttpRequest, payload: PanelsIn) -> PanelsTaken:
    """Take those of a file: all, or none where it asks first."""
    taken, kept = panels.bring_in(user_of(request), payload.file.panels, payload.clash)
    return PanelsTaken(taken=taken, kept=kept)
