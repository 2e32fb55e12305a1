"""Run by Debian's own Python, which has python3-solv: reads a problem of places and numbers, answers with picks.

In: {"builds": [{"mod", "rank", "meets": [capability…], "needs": [capability…], "breaks": [capability…]}], "want": […]}.
Versions and ranges were turned into capabilities beforehand, by our own order of versions.
"""

import json
import sys
import time

import solv

problem = json.load(sys.stdin)
started = time.perf_counter()
pool = solv.Pool()
pool.setarch("amd64")
repo = pool.add_repo("catalogue")
places = {}
for place, build in enumerate(problem["builds"]):
    one = repo.add_solvable()
    one.name, one.evr, one.arch = build["mod"], str(build["rank"]), "all"
    one.add_provides(pool.Dep(build["mod"]))
    for capability in build["meets"]:
        one.add_provides(pool.Dep(capability))
    for capability in build["needs"]:
        one.add_requires(pool.Dep(capability))
    for capability in build["breaks"]:
        one.add_conflicts(pool.Dep(capability))
    places[one.id] = place
pool.createwhatprovides()
prepared = time.perf_counter()
solver = pool.Solver()
solver.set_flag(solv.Solver.SOLVER_FLAG_IGNORE_RECOMMENDED, 1)
jobs = [
    pool.Job(solv.Job.SOLVER_INSTALL | solv.Job.SOLVER_SOLVABLE_PROVIDES, pool.Dep(name).id) for name in problem["want"]
]
problems = solver.solve(jobs)
picks = [] if problems else [places[one.id] for one in solver.transaction().newsolvables()]
done = time.perf_counter()
print(json.dumps({"solved": not problems, "picks": picks, "prepare": prepared - started, "solve": done - prepared}))
