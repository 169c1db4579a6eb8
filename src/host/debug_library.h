/* libdw, loaded late (late.h): only where somebody asks for a source line or for a chain of calls. Behind this header its functions are
   called as ever. */
#ifndef TA_HOST_DEBUG_LIBRARY_H
#define TA_HOST_DEBUG_LIBRARY_H

#include <elfutils/libdw.h>
#include <elfutils/libdwfl.h>
#include <stdbool.h>

#define DEBUG_CALLS(X)                                                                                                 \
    X(dwarf_attr)                                                                                                      \
    X(dwarf_begin)                                                                                                     \
    X(dwarf_cfi_addrframe)                                                                                             \
    X(dwarf_end)                                                                                                       \
    X(dwarf_formstring)                                                                                                \
    X(dwarf_getsrclines)                                                                                               \
    X(dwarf_lineaddr)                                                                                                  \
    X(dwarf_lineendsequence)                                                                                           \
    X(dwarf_lineno)                                                                                                    \
    X(dwarf_linesrc)                                                                                                   \
    X(dwarf_nextcu)                                                                                                    \
    X(dwarf_offdie)                                                                                                    \
    X(dwarf_onesrcline)                                                                                                \
    X(dwfl_addrmodule)                                                                                                 \
    X(dwfl_attach_state)                                                                                               \
    X(dwfl_begin)                                                                                                      \
    X(dwfl_end)                                                                                                        \
    X(dwfl_frame_pc)                                                                                                   \
    X(dwfl_getthread_frames)                                                                                           \
    X(dwfl_module_dwarf_cfi)                                                                                           \
    X(dwfl_report_elf)                                                                                                 \
    X(dwfl_report_end)                                                                                                 \
    X(dwfl_thread_state_register_pc)                                                                                   \
    X(dwfl_thread_state_registers)

struct debug_library {
#define DEBUG_MEMBER(name) __typeof__(name) *name;
    DEBUG_CALLS(DEBUG_MEMBER)
#undef DEBUG_MEMBER
};
extern struct debug_library debug_library;

/* False when there is no libdw on this computer. */
bool debug_library_load(void);

#ifndef DEBUG_LIBRARY_LOADS /* the file that fills the members calls them by their names */
#define dwarf_attr                    debug_library.dwarf_attr
#define dwarf_begin                   debug_library.dwarf_begin
#define dwarf_cfi_addrframe           debug_library.dwarf_cfi_addrframe
#define dwarf_end                     debug_library.dwarf_end
#define dwarf_formstring              debug_library.dwarf_formstring
#define dwarf_getsrclines             debug_library.dwarf_getsrclines
#define dwarf_lineaddr                debug_library.dwarf_lineaddr
#define dwarf_lineendsequence         debug_library.dwarf_lineendsequence
#define dwarf_lineno                  debug_library.dwarf_lineno
#define dwarf_linesrc                 debug_library.dwarf_linesrc
#define dwarf_nextcu                  debug_library.dwarf_nextcu
#define dwarf_offdie                  debug_library.dwarf_offdie
#define dwarf_onesrcline              debug_library.dwarf_onesrcline
#define dwfl_addrmodule               debug_library.dwfl_addrmodule
#define dwfl_attach_state             debug_library.dwfl_attach_state
#define dwfl_begin                    debug_library.dwfl_begin
#define dwfl_end                      debug_library.dwfl_end
#define dwfl_frame_pc                 debug_library.dwfl_frame_pc
#define dwfl_getthread_frames         debug_library.dwfl_getthread_frames
#define dwfl_module_dwarf_cfi         debug_library.dwfl_module_dwarf_cfi
#define dwfl_report_elf               debug_library.dwfl_report_elf
#define dwfl_report_end               debug_library.dwfl_report_end
#define dwfl_thread_state_register_pc debug_library.dwfl_thread_state_register_pc
#define dwfl_thread_state_registers   debug_library.dwfl_thread_state_registers
#endif

#endif
