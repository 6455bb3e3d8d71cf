"""The HTTP interface, assembled: commands, queries, sign-in, and the OpenAPI document."""

from ninja import NinjaAPI

from ..buying.api import router as buying
from ..buying.outside_api import router as outside_work
from ..buying.supplier_stand_in import router as supplier_stand_ins
from ..buying.suppliers_api import router as suppliers
from ..buying.ubl_api import router as ubl
from ..catalog.api import router as catalog
from ..commanding.api import build_jobs_router, build_router
from ..commanding.reading import SIGNED_IN
from ..costing.api import router as costing
from ..costing.item_cost_api import router as item_costs
from ..costing.margins_api import router as margins
from ..costing.sets_api import router as cost_sets
from ..engineering.api import router as structures
from ..engineering.calendars_api import router as calendars
from ..engineering.work_centers_api import router as work_centers
from ..exchange.api import router as exchange
from ..ledger.api import router as ledger
from ..orders.api import router as orders
from ..orders.bridge_api import router as bridges
from ..orders.documents_api import router as order_documents
from ..orders.history_api import router as order_histories
from ..orders.items_api import router as items_of_orders
from ..orders.machine_counter import router as machine_counters
from ..orders.queue_api import router as order_queues
from ..orders.ready_api import router as ready
from ..orders.table_api import router as order_table
from ..orders.timeline_api import router as timelines
from ..orders.today_api import router as today
from ..orders.tree_api import router as order_trees
from ..orders.work_lists_api import router as work_lists
from ..papers.api import router as papers
from ..people.account_api import router as account
from ..people.api import router as people
from ..people.persons_api import router as persons
from ..people.views import router as views
from ..picking.api import router as picking
from ..planning.api import router as planning
from ..planning.compare_api import router as plan_comparisons
from ..planning.item_api import router as planned_items
from ..planning.loads_api import router as planned_loads
from ..planning.purchases_api import router as gathered_purchases
from ..planning.terms_api import router as terms
from ..planning.transfers_api import router as planned_transfers
from ..selling.api import router as selling
from ..settling.across_api import router as variances
from ..settling.actual_api import router as actual_costs
from ..settling.books_api import router as books
from ..settling.closing_api import router as closing
from ..settling.indicators_api import router as indicators
from ..settling.late_api import router as late_costs
from ..settling.periods_api import router as periods
from ..settling.worth_api import router as worth
from ..stores.api import router as stores
from ..stores.carriers_api import router as carriers
from ..stores.counts_api import router as counts
from ..stores.scan_api import router as scans
from ..stores.transfers_api import router as transfers
from ..web_api.errors import install
from ..web_api.finding import router as finding

api = NinjaAPI(
    title="Poietic",
    version="1",
    description="Commands change the shop, each with a preview; queries show it.",
    docs_url=None,
    auth=SIGNED_IN,
)
install(api)
api.add_router("/commands", build_router())
api.add_router("/jobs", build_jobs_router())
for router in (
    people,
    account,
    persons,
    views,
    catalog,
    work_centers,
    structures,
    calendars,
    costing,
    cost_sets,
    item_costs,
    margins,
    ledger,
    planning,
    plan_comparisons,
    planned_items,
    planned_loads,
    planned_transfers,
    gathered_purchases,
    terms,
    selling,
    stores,
    carriers,
    transfers,
    counts,
    scans,
    papers,
    picking,
    outside_work,  # its addresses are more particular than those of orders to suppliers
    buying,
    suppliers,
    ubl,
    supplier_stand_ins,
    late_costs,
    periods,
    worth,
    indicators,
    actual_costs,
    books,
    closing,
    variances,
    ready,
    work_lists,
    order_queues,
    order_trees,
    order_table,
    timelines,
    machine_counters,
    order_documents,
    orders,
    bridges,
    items_of_orders,
    order_histories,
    today,
    exchange,
    finding,
):
    api.add_router("", router)
