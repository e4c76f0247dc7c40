# Run as a script, at every build: the header TO names the revision of SOURCE. Written only where it changes.
execute_process(COMMAND git -C ${SOURCE} describe --always --exclude=* --abbrev=12 --dirty=+ OUTPUT_VARIABLE revision ERROR_QUIET
  OUTPUT_STRIP_TRAILING_WHITESPACE RESULT_VARIABLE failed)
# Within the tree of another project it would be that one's.
execute_process(COMMAND git -C ${SOURCE} rev-parse --show-toplevel OUTPUT_VARIABLE top ERROR_QUIET OUTPUT_STRIP_TRAILING_WHITESPACE)
file(REAL_PATH "${SOURCE}" source)
if(failed OR NOT top STREQUAL source)
  set(revision "")
endif()
file(CONFIGURE OUTPUT ${TO} CONTENT "#define VPRISM_REVISION \"@revision@\"\n" @ONLY)
