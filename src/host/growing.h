/* Folders that grow out of sight and take their place when they are whole. One that a killed process left behind goes the next
   time that something grows beside it; nothing that only looks like one is touched. */
#ifndef TA_HOST_GROWING_H
#define TA_HOST_GROWING_H

#include "tameanchor/status.h"

/* FOLDER holds the mark that makes it ours, held locked as long as we live; CONTENT, in it, is for the caller and is not there
   yet. */
struct growing {
    char *folder, *content;
    int mark;
};

/* Begins one in the folder ABOVE, which is made when it is not there. */
enum ta_status growing_begin(const char *above, struct growing *growing, struct ta_problem *why);

/* Removes what is left of it. May be called for one that is all zero. */
void growing_end(struct growing *growing);

#endif
