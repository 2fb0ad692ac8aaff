"""Routes and text of a design as the silicon would have them."""

from __future__ import annotations

from typing import Any

from wattigram.core.contract.board_config import (
    EffectiveByteWatch,
    EffectiveRoute,
    EffectiveSerial,
    EffectiveWire,
)
from wattigram.core.contract.link import OUTPUT_STREAM
from wattigram.core.contract.serial_line import LineFormat
from wattigram.core.model.bench import BoardSource, SerialSource
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.route import (
    DacDestination,
    DutyDestination,
    PeriodDestination,
    ReceivedSource,
    ResultSource,
    Route,
    UartDestination,
)
from wattigram.core.predict.clocks import set_timer, uart_timing
from wattigram.core.predict.pins import pwm_pin, pwm_timing
from wattigram.core.predict.timing import line_formats, sending_source, slot_order
from wattigram.core.predict.waveform import codes_in_memory
from wattigram.core.silicon.deploy.pin_drives import wired_boards


def effective_routes(workspace: Workspace) -> tuple[EffectiveRoute, ...]:
    """One for each route, in order."""
    return tuple(
        _route(workspace, route, number) for number, route in enumerate(workspace.project.routes)
    )


def _route(workspace: Workspace, route: Route, number: int) -> EffectiveRoute:
    dma = workspace.part.dma_channel(route.channel)
    assert dma is not None
    timer_ticks = 1.0
    if route.timer is not None:
        setting = set_timer(workspace, route.timer.timer, route.timer.period_s)
        timer_ticks = float(setting.period_s * workspace.bus_clock_hz.numerator)
    return EffectiveRoute(
        name=route.name,
        stream=OUTPUT_STREAM + number,
        on=route.request,
        timer_ticks=timer_ticks,
        source_bits=route.source_bits,
        sink_bits=route.destination_bits,
        items=route.transfers,
        step=1 if route.increment else 0,
        low_first=route.endianness == "little-endian",
        transfer_ticks=float(dma.transfer_cycles),
        wide_sink=not isinstance(route.destination, UartDestination),
        **_source(workspace, route),
        **_sink(workspace, route),
    )


def _source(workspace: Workspace, route: Route) -> dict[str, Any]:
    project = workspace.project
    match route.source:
        case ResultSource(converter=converter, signal=signal):
            chain = project.chain(converter)
            assert chain is not None
            place = None
            if signal is not None and signal in {slot.signal for slot in chain.slots}:
                place = slot_order(workspace, chain).index(chain.places_of(signal)[0])
            return {"converter": project.chains.index(chain), "place": place}
        case ReceivedSource(uart=uart):
            names = [setup.name for setup in project.uarts]
            return {"wire": names.index(uart)}
        case source:
            table = project.table(source.table)
            assert table is not None
            return {"codes": tuple(codes_in_memory(workspace, table).tolist()) or (0,)}


def effective_wires(workspace: Workspace) -> tuple[EffectiveWire, ...]:
    """What comes to each UART of the design, in order."""
    wires = []
    boards = wired_boards(workspace)
    for uart in workspace.project.uarts:
        part = workspace.part.uart(uart.name)
        assert part is not None
        formats = line_formats(workspace, uart.name)
        idle = LineFormat(bit_ticks=1.0)
        source = sending_source(workspace, uart.name)
        board = source if isinstance(source, BoardSource) and formats is not None else None
        sends, hears = formats if formats is not None else (idle, idle)
        wires.append(
            EffectiveWire(
                uart=uart.name,
                sends=sends,
                hears=hears,
                keeps_faulty=part.faulty_words == "kept",
                values=_sent_values(workspace, uart.name),
                board=boards.index(board.project) if board is not None else None,
                board_uart=board.output if board is not None else "",
                watches=tuple(
                    EffectiveByteWatch(watch=number, byte=watch.byte)
                    for number, watch in enumerate(workspace.watches)
                    if watch.kind == "byte" and watch.uart == uart.name
                ),
            )
        )
    return tuple(wires)


def _sent_values(workspace: Workspace, uart: str) -> EffectiveSerial | None:
    source = sending_source(workspace, uart)
    if not isinstance(source, SerialSource):
        return None
    tick_hz = workspace.bus_clock_hz.numerator
    return EffectiveSerial(
        every_ticks=float(source.interval_s * tick_hz),
        bits=source.bits,
        words_each=source.words_each,
        low_first=source.endianness == "little-endian",
        from_share=source.from_level,
        to_share=source.to_level,
        period_ticks=float(source.period_s * tick_hz),
    )


def _sink(workspace: Workspace, route: Route) -> dict[str, Any]:
    tick_hz = workspace.bus_clock_hz.numerator
    match route.destination:
        case UartDestination(uart=name):
            uart = workspace.project.uart(name)
            part = workspace.part.uart(name)
            assert uart is not None
            assert part is not None
            byte_ticks = float(uart_timing(workspace, uart).byte_s * tick_hz)
            return {
                "sink": "send",
                "byte_ticks": byte_ticks,
                "uart": name,
                "word_bits": uart.data_bits,
                "waiting": part.waiting_bytes,
            }
        case DutyDestination(pwm=name) | PeriodDestination(pwm=name):
            pwm = workspace.project.pwm_output(name)
            assert pwm is not None
            timing = pwm_timing(workspace, pwm)
            period_ticks = float(timing.period_s * tick_hz)
            is_duty = isinstance(route.destination, DutyDestination)
            return {
                "sink": "duty" if is_duty else "period",
                "output": pwm_pin(workspace, pwm),
                "period_ticks": period_ticks,
                "count_ticks": period_ticks / timing.counts,
                "preload": pwm.preload,
                "whole": pwm.whole,
                "initial": timing.high_counts if is_duty else timing.counts - 1,
            }
        case DacDestination(dac=name):
            dac = workspace.part.dac(name)
            assert dac is not None
            return {
                "sink": "dac",
                "output": dac.pin,
                "period_ticks": float(tick_hz / dac.update_rate_high_hz),
            }
