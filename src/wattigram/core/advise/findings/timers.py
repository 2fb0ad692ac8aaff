"""Rules on timers that several share."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

import msgspec

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.advise.findings.fixes import first_effective_fix
from wattigram.core.base.quantity import format_si
from wattigram.core.model.design import Playback, TimerTrigger, Workspace
from wattigram.core.model.design.edits import Edit, SetGenerator, SetPwm, SetRoute, SetTrigger
from wattigram.core.predict.clocks import set_timer, timer_setting


class _User(msgspec.Struct, frozen=True):
    """Who wants a period of a timer; ``moves`` put it on another timer, or give it another
    period."""

    name: str
    period_s: Fraction
    moves: tuple[Edit, ...]
    converter: str = ""


@rule("timer-shared")
def timer_shared(workspace: Workspace) -> Iterator[Finding]:
    """All who share a timer run at the rate of whoever sets it up last."""
    users = _users(workspace)
    for name, wanted in users.items():
        if len({user.period_s for user in wanted}) < 2:
            continue
        last = wanted[-1]

        def is_cured(changed: Workspace, timer: str = name) -> bool:
            return not any(finding.where == timer for finding in timer_shared(changed))

        for user in wanted[:-1]:
            if user.period_s == last.period_s:
                continue
            yield Finding(
                "timer-shared",
                "error",
                name,
                f"{name} has two periods",
                f"{user.name} wants {format_si(user.period_s, 's')} of it and {last.name} "
                f"{format_si(last.period_s, 's')}; whoever "
                "sets it up last has it.",
                first_effective_fix(workspace, (*last.moves, *user.moves), is_cured),
                signal="" if user.converter else user.name,
                converter=user.converter,
            )


def _users(workspace: Workspace) -> dict[str, list[_User]]:
    """Users of each timer, in the order in which the program sets them up."""
    project = workspace.project
    users: dict[str, list[_User]] = {}
    names = [name for group in workspace.part.timers if group.can_trigger for name in group.names]
    taken = {
        chain.trigger.timer for chain in project.chains if isinstance(chain.trigger, TimerTrigger)
    }
    taken |= {pwm.timer for pwm in project.pwm}
    for generator in project.generators:
        if isinstance(generator.output, Playback) and isinstance(
            generator.output.update_trigger, TimerTrigger
        ):
            taken.add(generator.output.update_trigger.timer)
    taken |= {route.timer.timer for route in project.routes if route.timer is not None}
    free = [name for name in names if name not in taken][:1]
    for chain in project.chains:
        trigger = chain.trigger
        if isinstance(trigger, TimerTrigger):
            others = users.get(trigger.timer, [])
            moves: list[Edit] = [
                SetTrigger(chain.converter, trigger.replaced(timer=timer)) for timer in free
            ]
            moves += [
                SetTrigger(chain.converter, trigger.replaced(period_s=other.period_s))
                for other in others[:1]
            ]
            period_s = timer_setting(workspace, trigger, alone=True).period_s
            users.setdefault(trigger.timer, []).append(
                _User(chain.converter, period_s, tuple(moves), chain.converter)
            )
    for playing in project.generators:
        if isinstance(playing.output, Playback) and isinstance(
            playing.output.update_trigger, TimerTrigger
        ):
            output, trigger = playing.output, playing.output.update_trigger
            moves = [
                SetGenerator(
                    playing.name,
                    playing.replaced(
                        output=output.replaced(update_trigger=trigger.replaced(timer=timer))
                    ),
                )
                for timer in free
            ]
            period_s = timer_setting(workspace, trigger, alone=True).period_s
            users.setdefault(trigger.timer, []).append(_User(playing.name, period_s, tuple(moves)))
    for pwm in project.pwm:
        registers = pwm.prescaler_register, pwm.period_register
        period_s = set_timer(workspace, pwm.timer, pwm.period_s, *registers, alone=True).period_s
        moves = [SetPwm(pwm.name, pwm.replaced(timer=timer)) for timer in free]
        users.setdefault(pwm.timer, []).append(_User(pwm.name, period_s, tuple(moves)))
    for route in project.routes:
        if route.timer is not None:
            period_s = set_timer(
                workspace, route.timer.timer, route.timer.period_s, alone=True
            ).period_s
            moves = [
                SetRoute(route.name, route.replaced(timer=route.timer.replaced(timer=timer)))
                for timer in free
            ]
            users.setdefault(route.timer.timer, []).append(
                _User(route.name, period_s, tuple(moves))
            )
    return users
