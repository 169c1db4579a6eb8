/* The plan as a graph: which action needs which. */
#ifndef TA_CORE_PLAN_GRAPH_H
#define TA_CORE_PLAN_GRAPH_H

#include "core/plan/plan.h"

/* Finds what each action NEEDS: those whose outputs are among its inputs, and those that must be ready. TA_E_INPUT when two actions make
   one file. */
enum ta_status plan_connect(struct arena *arena, struct plan *plan, struct ta_problem *why);

#endif
