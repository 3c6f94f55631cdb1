"""The engine that is wanted."""

from zero_easel.engines.confining import Confinement
from zero_easel.engines.engine import AS_MUCH_AS_THERE_IS, Allowance, Engine
from zero_easel.engines.workers import Workers


def engine_of(
    kind: str,
    scheduler: str,
    jobs: int,
    allowance: Allowance = AS_MUCH_AS_THERE_IS,
    confinement: Confinement | None = None,
) -> Engine:
    """kind: "local" for `jobs` processes of this machine, "dask" for as many Dask workers. scheduler: an address at
    which there are workers already, which means the latter. confinement: of processes of this machine."""
    if kind == "local" and not scheduler:
        return Workers(jobs, allowance, confinement)
    # Dask is loaded only where it is wanted.
    from zero_easel.engines.cluster import Cluster

    return Cluster(scheduler, jobs, allowance)
