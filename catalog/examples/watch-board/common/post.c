#include "post.h"

uint32_t post_reading(unsigned gauge, unsigned beat) {
    uint32_t noise = (gauge * 2654435761u + beat * 40503u) >> 7;
    return 200 + 40 * gauge + beat % 24 * 5 + (noise ^ noise >> 9) % 13;
}
