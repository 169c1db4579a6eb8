#include "strand/surge.h"

/* The water's slope grows with the square of the wind's speed. */
uint32_t strand_surge_cm(uint32_t wind_m_per_s) {
    return wind_m_per_s * wind_m_per_s / 8;
}
