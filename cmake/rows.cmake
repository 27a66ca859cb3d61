# SPDX-License-Identifier: GPL-3.0-or-later
# A folder that is a table: steps/mirror.cpp defines steps::mirror, and being there is all it takes to be in the table.
# Writes `header` with the declarations and a list of their addresses.
#   row   what the list is called: step -> step_rows
#   type  what a row is: StepKind
function(anvil_rows path row type header)
  cmake_path(GET path FILENAME folder)
  file(GLOB names CONFIGURE_DEPENDS RELATIVE ${CMAKE_CURRENT_SOURCE_DIR}/${path} ${path}/*.cpp)
  list(TRANSFORM names REPLACE "[.]cpp$" "")
  set(addresses ${names})
  list(TRANSFORM addresses PREPEND "&${folder}::")
  list(JOIN names ", " names)
  list(JOIN addresses ", " addresses)
  configure_file(${PROJECT_SOURCE_DIR}/cmake/rows.h.in ${PROJECT_BINARY_DIR}/generated/${header} @ONLY)
endfunction()
