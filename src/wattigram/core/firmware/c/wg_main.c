/**
 * @file wg_main.c
 * Commands from the host, and the main loop.
 */
#include "wg_main.h"

#include "wg_chain.h"
#include "wg_clock.h"
#include "wg_design.h"
#include "wg_filter.h"
#include "wg_link.h"
#include "wg_run.h"

static void put_count(const char *name, uint32_t stream, uint64_t count)
{
    wg_link_put(" ");
    wg_link_put(name);
    wg_link_put(".");
    wg_link_put_number(stream);
    wg_link_put("=");
    wg_link_put_number(count);
}

static void say_identity(void)
{
    wg_link_put("protocol=2\nboard=" WG_BOARD "\nbuild=" WG_BUILD_ID "\ntick_hz=");
    wg_link_put_number(WG_TICK_HZ);
    wg_link_put("\n");
    wg_link_say(WG_IDENTITY, "");
}

static void say_totals(const char *word)
{
    wg_link_put(word);
    if (wg_run_has_begun()) {
        wg_link_put(" ticks=");
        wg_link_put_number(wg_clock_ticks());
        for (uint32_t chain = 0u; chain < wg_chain_count; chain++) {
            put_count("items", wg_chains[chain].stream, wg_chain_samples(chain));
            if (wg_chain_overruns(chain) != 0u) {
                put_count("overruns", wg_chains[chain].stream, wg_chain_overruns(chain));
            }
        }
        for (uint32_t filter = 0u; filter < wg_filter_count; filter++) {
            if (wg_filters[filter].stream != 0u) {
                put_count("items", wg_filters[filter].stream, wg_filter_samples(filter));
            }
        }
    }
    wg_link_say(WG_REPLY, "");
}

/** Whether `at` begins with `word`, followed by a space or the end. */
static bool is_word(const char *at, const char *word)
{
    while (*word != '\0' && *at == *word) {
        at++;
        word++;
    }
    return *word == '\0' && (*at == '\0' || *at == ' ');
}

/** Number behind `name` in the options at `at`; 0 where there is none. */
static uint64_t option(const char *at, const char *name)
{
    for (; *at != '\0'; at++) {
        uint32_t length = 0u;
        while (name[length] != '\0' && at[length] == name[length]) {
            length++;
        }
        if (name[length] == '\0' && at[length] == '=') {
            uint64_t number = 0u;
            for (at += length + 1u; *at >= '0' && *at <= '9'; at++) {
                number = number * 10u + (uint64_t)(*at - '0');
            }
            return number;
        }
    }
    return 0u;
}

static void obey(const char *command)
{
    if (is_word(command, "identify")) {
        say_identity();
    } else if (is_word(command, "start")) {
        uint64_t ticks = option(command, "ticks");
        const uint64_t cycles = option(command, "cycles");
        if (cycles != 0u && wg_chain_count != 0u) {
            ticks = cycles * wg_chains[0].cycle_ticks;
        }
        if (wg_run_is_on()) {
            wg_run_stop();
            say_totals("stopped");
        }
        wg_link_say(WG_LOG, "started build=" WG_BUILD_ID);
        wg_run_start(ticks);
    } else if (is_word(command, "stop")) {
        wg_run_stop();
        say_totals("stopped");
    } else if (is_word(command, "query")) {
        say_totals(wg_run_is_on() ? "running" : "idle");
    } else if (*command != '\0') {
        wg_link_put("error unknown command \"");
        wg_link_put(command);
        wg_link_put("\"");
        wg_link_say(WG_REPLY, "");
    } else {
        /* an empty line asks for nothing */
    }
}

void wg_main_step(void)
{
    wg_link_read(obey);
    if (wg_run_is_over()) {
        wg_run_stop();
        say_totals("stopped");
    }
    wg_run_step();
}
