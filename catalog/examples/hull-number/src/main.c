/* Tells the hull number: on the console, and digit by digit with the lamps. */
#include <resources.h>
#include <settings.h>

#include <ctype.h>
#include <stdio.h>
#include <strand/clock.h>
#include <strand/lamps.h>
#include <strand/tide_table.h>

enum { DIGIT_US = 500000, GAP_US = 100000, HOURS_TOLD = 4 };

static void blink(unsigned digit) {
    strand_lamps_show(digit ? digit : 0xff); /* all lamps for a nought */
    strand_clock_sleep(DIGIT_US);
    strand_lamps_show(0);
    strand_clock_sleep(GAP_US);
}

int main(void) {
    printf("%s: hull %s, %s shore\n", SETTING_GREETING, SETTING_HULL, SETTING_SHORE);
    for (const char *at = SETTING_HULL; *at; ++at)
        if (isdigit((unsigned char)*at))
            blink((unsigned)(*at - '0'));
    for (unsigned hour = 0; hour < HOURS_TOLD; ++hour)
        printf("%u h after low water: %u cm, high in %u h\n", hour,
               (unsigned)strand_tide_height(hour, SETTING_RANGE_CM), (unsigned)strand_tide_until_high(hour));
    printf("%.*s", (int)resources[RESOURCE_ASSETS_FAREWELL_TXT].size,
           (const char *)resources[RESOURCE_ASSETS_FAREWELL_TXT].bytes);
    return 0;
}
