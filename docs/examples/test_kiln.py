"""The kiln's controller with its board in the loop.

On the virtual board, from the folder of the project:

    pytest docs/examples/test_kiln.py --wattigram-project src/wattigram/examples/studio-kiln/studio-kiln.wattigram.toml

On a real one add ``--wattigram-board serial:/dev/ttyACM0@115200``.
"""


def test_the_coil_is_fed_at_fifty_hertz(board):
    take = board.run(2.0)
    sine = board.measure(take, "sine", "Coil current")
    frequency = sine.figure("frequency")
    assert abs(frequency.value - 50) < 0.05 + 2 * frequency.sigma
    assert sine.figure("sinad").value > 50


def test_the_rail_is_quiet(board):
    take = board.run(1.0)
    rail = board.measure(take, "statistics", "3.3 V rail")
    assert rail.figure("std").value < 2e-3
    assert abs(rail.figure("mean").value - 3.3) < 0.033


def test_only_the_door_latch_is_sampled_too_short(board):
    proof = board.prove(board.run(3.0))
    failing = {verdict.signal for verdict in proof.verdicts if verdict.outcome == "fails"}
    assert failing == {"Door latch"}
    assert proof.causes[0].title.startswith("Sampling too short")
