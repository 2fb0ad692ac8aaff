"""``wattigram desktop-files``: what makes the program known to a desktop, a shell and ``man``."""

from __future__ import annotations

from collections.abc import Iterator
from importlib.resources import files
from pathlib import Path

import click
from click.shell_completion import BashComplete, FishComplete, ShellComplete, ZshComplete

from wattigram import __version__
from wattigram.core.base.errors import WattigramError

APP_ID = "org.wattigram.Wattigram"
PROJECT_TYPE = "application/x-wattigram-project"
SUMMARY = "Design analog acquisition chains, and prove their sample streams"
ENTRY = f"""[Desktop Entry]
Type=Application
Version=1.5
Name=Wattigram
GenericName=Analog acquisition design
Comment={SUMMARY}
Exec=wattigram open %f
Icon={APP_ID}
Terminal=false
Categories=Development;Electronics;Engineering;
Keywords=ADC;DAC;DMA;firmware;samples;
MimeType={PROJECT_TYPE};
StartupWMClass=wattigram
"""
MIME = f"""<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{PROJECT_TYPE}">
    <comment>Wattigram project</comment>
    <sub-class-of type="text/plain"/>
    <icon name="{APP_ID}"/>
    <glob pattern="*.wattigram.toml" weight="80"/>
  </mime-type>
</mime-info>
"""
METAINFO = f"""<?xml version="1.0" encoding="UTF-8"?>
<component type="desktop-application">
  <id>{APP_ID}</id>
  <metadata_license>CC0-1.0</metadata_license>
  <project_license>GPL-3.0-or-later</project_license>
  <name>Wattigram</name>
  <summary>{SUMMARY}</summary>
  <description>
    <p>A firmware engineer designs converters in sequence, sample triggers, DMA buffers, filters, thresholds and
    waveforms, gets the firmware, and holds what the board sends against what the design said it would be.</p>
  </description>
  <launchable type="desktop-id">{APP_ID}.desktop</launchable>
  <provides>
    <binary>wattigram</binary>
    <mediatype>{PROJECT_TYPE}</mediatype>
  </provides>
  <content_rating type="oars-1.1"/>
</component>
"""
SHELLS: dict[str, tuple[type[ShellComplete], str]] = {
    "bash": (BashComplete, "share/bash-completion/completions/wattigram"),
    "zsh": (ZshComplete, "share/zsh/site-functions/_wattigram"),
    "fish": (FishComplete, "share/fish/vendor_completions.d/wattigram.fish"),
}


@click.command("desktop-files")
@click.argument("prefix", type=click.Path(path_type=Path, file_okay=False))
def desktop_files(prefix: Path) -> None:
    """Write desktop entry, icon, file type, man page and shell completions below a prefix.

    PREFIX: Such as ~/.local or /usr/local; files lie in its share.
    """
    for place, text in system_files():
        path = prefix / place
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
        except OSError as fault:
            raise WattigramError(
                f"It cannot be written: {fault.strerror}.",
                where=str(path),
                cure="Choose a prefix that is yours, or be root.",
            ) from fault
        click.echo(path)


def system_files() -> Iterator[tuple[str, str]]:
    """Place below a prefix, and text of each file."""
    yield f"share/applications/{APP_ID}.desktop", ENTRY
    icon = files("wattigram").joinpath("desktop/icons/wattigram.svg").read_text(encoding="utf-8")
    yield f"share/icons/hicolor/scalable/apps/{APP_ID}.svg", icon
    yield f"share/mime/packages/{APP_ID}.xml", MIME
    yield f"share/metainfo/{APP_ID}.metainfo.xml", METAINFO
    from wattigram.cli.commands import app  # late: it loads this module

    yield "share/man/man1/wattigram.1", man_page(app)
    for kind, place in SHELLS.values():
        try:
            yield place, kind(app, {}, "wattigram", "_WATTIGRAM_COMPLETE").source()
        except RuntimeError:
            continue  # a shell that is too old, or is not there


def man_page(app: click.Group) -> str:
    """All commands with their options, as ``man`` reads it."""
    context = click.Context(app, info_name="wattigram")
    lines = [
        f'.TH WATTIGRAM 1 "" "Wattigram {__version__}" "User Commands"',
        ".SH NAME",
        f"wattigram \\- {_plain(SUMMARY[0].lower() + SUMMARY[1:])}",
        ".SH SYNOPSIS",
        ".B wattigram",
        "[COMMAND] [OPTION]...",
        ".SH DESCRIPTION",
        "Without a command the window opens. Exit status is 0 where all is well, 1 where something fails or falls",
        "short, 2 where nothing could be done.",
        ".SH COMMANDS",
    ]
    for name, command in _commands(app, context, ""):
        lines += _of_command(name, command, context)
    return "\n".join(lines) + "\n"


def _commands(
    group: click.Group, context: click.Context, before: str
) -> Iterator[tuple[str, click.Command]]:
    for name in group.list_commands(context):
        command = group.get_command(context, name)
        if isinstance(command, click.Group):
            yield from _commands(command, context, f"{before}{name} ")
        elif command is not None and not command.hidden:
            yield before + name, command


def _of_command(name: str, command: click.Command, context: click.Context) -> list[str]:
    own = click.Context(command, info_name=name, parent=context)
    usage = " ".join(command.collect_usage_pieces(own))
    help_text = " ".join((command.help or "").split())
    lines = [".SS", f"wattigram {_plain(name)} {_plain(usage)}", _plain(help_text)]
    for parameter in command.get_params(own):
        record = parameter.get_help_record(own)
        if record is not None:
            lines += [".TP", f"\\fB{_plain(record[0])}\\fR", _plain(record[1] or "\u2013")]
    return lines


def _plain(text: str) -> str:
    """Without what ``man`` takes for its own."""
    text = text.replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{text}" if text.startswith((".", "'")) else text
