"""Routes take as long as there is much to tell of: sources, their columns, measures of the plan, versions, pages."""

import uuid

import numpy as np
import pyarrow as pa

from steady_tally.core.sources import Table
from steady_tally.store.sources import FileFacts, save_source
from steady_tally.store.tables import Role
from tests.growth import grows_evenly
from tests.plans import results_of


def test_routes_of_a_study_take_as_long_as_there_is_much_in_it(client, engine, study):
    facts = FileFacts("t.csv", "0" * 64, 1)

    def of(n):
        there = client.post(f"/api/studies/{study}/copy", json={"name": f"of {n}"}).get_json()["id"]
        count = np.arange(1, 4)
        for at in range(n):
            columns = {f"column {c}": [str(c), "b", "c"] for c in range(n)}
            save_source(engine, uuid.UUID(there), Role.TABLE, Table(f"t{at}", pa.table(columns), count, count), facts)
        plans = client.get(f"/api/studies/{there}/plans").get_json()
        document, parent = plans["versions"][-1]["document"], plans["head_id"]
        one = document["measure"][document["show"]["mapped"]]
        document["measure"] |= {f"m{i}": one for i in range(n)}
        body = {"parent_id": parent, "document": document}
        saved = client.post(f"/api/studies/{there}/plans", json=body)
        assert saved.status_code == 201, saved.get_json()
        page = {"version": saved.get_json()["id"], "document": {}}
        for at in range(n):
            client.post(f"/api/studies/{there}/figures", json={**page, "name": f"page {at}"})
        results = results_of(client, there)
        asked = [f"/api/studies/{there}{more}" for more in ("/sources", "/plans", "/figures")]
        asked += [f"{results}/{more}" for more in ("view", "ledger", "offers", "measures", "findings")]

        def work():
            for address in asked:
                assert client.get(address).status_code == 200, address

        return work

    # As many sources as columns of each: there is four times as much to tell of twice as many.
    assert grows_evenly(lambda columns: of(round(columns**0.5)), (100, 400, 1_600))
