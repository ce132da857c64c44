"""Commands about sealed packs."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import click

from north_hush.cli.group import json_option, main, told


@main.command()
@click.argument("site_path", metavar="SITE", type=click.Path(path_type=Path))
@click.argument("recording")
@click.option("--from", "from_s", type=float, required=True, help="Start of the stretch, in seconds.")
@click.option("--to", "to_s", type=float, required=True, help="Its end.")
@click.option(
    "--out", "target", required=True, type=click.Path(path_type=Path), help="A new folder, or a name with .zip."
)
@click.option("--key", type=click.Path(path_type=Path), help="Seal it with this Ed25519 key (PEM).")
@json_option
@told
def pack(
    site_path: Path, recording: str, from_s: float, to_s: float, target: Path, key: Path | None, as_json: bool
) -> None:
    """Make a sealed pack of a stretch of a RECORDING of a SITE: the clip, stills, events, and a manifest of hashes."""
    from north_hush.core.handover.pack import Wanted, make_pack
    from north_hush.core.handover.report import Asked
    from north_hush.core.site.file import load_site

    made = make_pack(
        Asked(load_site(site_path), site_path, all_hours=True), Wanted(recording, from_s, to_s), target, key
    )
    click.echo(json.dumps({"pack": str(made)}) if as_json else made)


@main.command()
@click.argument("pack_path", metavar="PACK", type=click.Path(path_type=Path))
@json_option
@told
def verify(pack_path: Path, as_json: bool) -> None:
    """Check that a PACK is as it was made; exit code 1 when it is not, and which file and block."""
    from north_hush.core.handover.verify import verify_pack

    found = verify_pack(pack_path)
    if as_json:
        rows = [{"file": held.file, "what": held.what, "block": held.block} for held in found.findings]
        click.echo(
            json.dumps(
                {"holds": found.holds, "files": found.files, "signed_by": found.signed_by, "findings": rows}, indent=1
            )
        )
    else:
        for held in found.findings:
            block = "" if held.block is None else f" (block {held.block})"
            click.echo(f"{held.file} {held.what}{block}", err=True)
        signed = f", sealed with the key {found.signed_by}" if found.signed_by else ", sealed by nobody"
        click.echo(
            f"{found.files} files as they were packed{signed}"
            if found.holds
            else f"{len(found.findings)} of its files not as it was"
        )
    sys.exit(0 if found.holds else 1)
