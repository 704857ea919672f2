"""What hosts cost a month. Only what was entered is counted: nothing is assumed for what was not."""

from __future__ import annotations

from dataclasses import dataclass

HOURS_PER_MONTH = 365.25 * 24 / 12
MONTHS_PER_YEAR = 12


@dataclass(frozen=True)
class OwnCost:
    """A host that was bought. ``price`` is spread evenly over ``years``; ``watts`` are its mean draw and
    ``energy_price`` is per kWh; ``room`` is what its place, its network and its care cost a month."""

    price: float = 0.0
    years: float = 1.0
    watts: float = 0.0
    energy_price: float = 0.0
    room: float = 0.0

    def month(self, hours: float = HOURS_PER_MONTH) -> float:
        """The cost of a month with ``hours`` of power."""
        energy = self.watts / 1000 * hours * self.energy_price
        return self.price / (self.years * MONTHS_PER_YEAR) + energy + self.room


@dataclass(frozen=True)
class RentedCost:
    """A machine that is rented by the hour, with a price for each start."""

    per_hour: float = 0.0
    per_start: float = 0.0

    def month(self, hours: float, starts: float = 0.0) -> float:
        """The cost of a month with these hours and starts."""
        return hours * self.per_hour + starts * self.per_start


@dataclass(frozen=True)
class SlotHour:
    """What a slot-hour costs: ``used`` over those that worked, ``offered`` over all. None where there were none."""

    used: float | None
    offered: float | None


def slot_hour(month: float, used: float, slots: int) -> SlotHour:
    """``month`` is the cost of a month, ``used`` the slot-hours that worked in it."""
    offered = slots * HOURS_PER_MONTH
    return SlotHour(month / used if used > 0 else None, month / offered if offered > 0 else None)


@dataclass(frozen=True)
class BreakEven:
    """Owned against rented, by hours of work a month. ``hours`` is where both cost the same, None where they never do
    within a month. ``points`` are ``(hours, owned, rented)`` for drawing."""

    hours: float | None
    points: tuple[tuple[float, float, float], ...]


def break_even(own: OwnCost, rented: RentedCost, starts_per_hour: float = 0.0, points: int = 13) -> BreakEven:
    """A host that is on all the time against one that is rented for its hours of work. Both are straight lines, so
    they meet where the rented one has cost what the owned one does."""
    month, rate = own.month(), rented.per_hour + rented.per_start * starts_per_hour
    hours = month / rate if rate > 0 else None
    steps = [HOURS_PER_MONTH * at / (points - 1) for at in range(points)]
    return BreakEven(
        hours if hours is not None and hours <= HOURS_PER_MONTH else None,
        tuple((step, month, step * rate) for step in steps),
    )
