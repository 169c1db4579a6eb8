/* How much higher the wind drives the water. */
#ifndef STRAND_SURGE_H
#define STRAND_SURGE_H

#include <stdint.h>

/* Centimetres above the mean tide, when the wind has blown onshore with this speed for some hours. */
uint32_t strand_surge_cm(uint32_t wind_m_per_s);

#endif
