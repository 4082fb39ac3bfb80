"""``ylemorph.disk/1`` as JSON, written. Apart from the reading, so that a command that only writes starts quickly."""

import json
from typing import Any

from ..core.disk import FileSystem, Health, Partition, Survey

FORMAT = "ylemorph.disk/1"
MAX_FILE_BYTES = 8_000_000


def survey_to_data(survey: Survey) -> dict[str, Any]:
    """The survey as JSON data, fields in the contract's order, what is unknown as null."""
    disk = survey.disk
    return {
        "format": FORMAT,
        "taken": survey.taken or None,
        "disk": {
            "model": disk.model,
            "serial": disk.serial,
            "link": disk.link,
            "rotational": disk.rotational,
            "logical_sector_bytes": disk.logical_sector_bytes,
            "physical_sector_bytes": disk.physical_sector_bytes,
            "sectors": disk.sectors,
            "table": disk.table,
            "table_id": disk.table_id or None,
            "partitions": [_partition_data(p) for p in disk.partitions],
            **_known(
                table_notes=list(disk.table_notes),
                filesystem=_filesystem_data(disk.filesystem) if disk.filesystem else None,
                health=health_data(disk.health) if disk.health else None,
            ),
        },
    }


def write_survey(survey: Survey) -> str:
    return json.dumps(survey_to_data(survey), ensure_ascii=False, indent=1) + "\n"


def _partition_data(partition: Partition) -> dict[str, Any]:
    return {
        "number": partition.number,
        "first_lba": partition.first_lba,
        "sectors": partition.sectors,
        "logical": partition.logical,
        "type": partition.type,
        "name": partition.name,
        "flags": sorted(partition.flags),
        "role": partition.role,
        "filesystem": _filesystem_data(partition.filesystem) if partition.filesystem else None,
        **_known(uuid=partition.uuid),
    }


def _filesystem_data(fs: FileSystem) -> dict[str, Any]:
    usage = fs.usage_map
    return {
        "kind": fs.kind,
        "label": fs.label,
        "uuid": fs.uuid,
        "cluster_bytes": fs.cluster_bytes,
        "size_bytes": fs.size_bytes,
        "used_bytes": fs.used_bytes,
        "last_used_byte": fs.last_used_byte,
        "immovable_end_byte": fs.immovable_end_byte,
        "state": fs.state,
        "usage_map": {"bucket_bytes": usage.bucket_bytes, "used": list(usage.used)} if usage else None,
        "lightened": [{"name": item.name, "bytes": item.bytes} for item in fs.lightened],
        **_known(data_end_byte=fs.data_end_byte, end_owner=fs.end_owner, detail=fs.detail, system_hint=fs.system_hint),
    }


def _known(**fields: Any) -> dict[str, Any]:
    """Fields beyond the first version of the format stand there only where they say something."""
    return {key: value for key, value in fields.items() if value not in (None, "", [])}


def health_data(health: Health) -> dict[str, Any]:
    return {
        "state": health.state,
        "hours": health.hours,
        "reallocated_sectors": health.reallocated_sectors,
        "pending_sectors": health.pending_sectors,
        "worn_percent": health.worn_percent,
    }
