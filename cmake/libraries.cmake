# The Debian packages Facet stands on, and the compiler flags all its own code shares.
find_package(PkgConfig REQUIRED)
find_package(Threads REQUIRED)
find_package(SQLiteCpp REQUIRED)
find_package(SQLite3 REQUIRED)
find_package(nlohmann_json REQUIRED)
find_package(CLI11 REQUIRED)
find_package(spdlog REQUIRED)
find_package(fmt REQUIRED)
find_package(Eigen3 REQUIRED NO_MODULE)
find_package(Boost 1.74 REQUIRED)
find_package(hwy REQUIRED)
foreach(module smf sndfile soxr libebur128 fftw3f rtaudio rtmidi rubberband libqpdf)
  string(TOUPPER ${module} upper)
  pkg_check_modules(${upper} REQUIRED IMPORTED_TARGET ${module})
endforeach()

add_library(facet_flags INTERFACE)
target_include_directories(facet_flags INTERFACE ${PROJECT_SOURCE_DIR})
target_compile_options(facet_flags INTERFACE -Wall -Wextra -Wpedantic -Wshadow -Wconversion -ffp-contract=off)
# SSE4.2 is the least: the kernels compile for it, AVX2 and AVX-512, and are chosen at run time. A scalar set for still
# older processors takes longer to compile than these three.
if(CMAKE_SYSTEM_PROCESSOR MATCHES "x86_64|AMD64")
  target_compile_options(facet_flags INTERFACE -march=x86-64-v2)
  target_compile_definitions(facet_flags INTERFACE HWY_DISABLE_PCLMUL_AES)
endif()
if(FACET_SANITIZE)
  target_compile_options(facet_flags INTERFACE -fsanitize=${FACET_SANITIZE} -fno-omit-frame-pointer)
  target_link_options(facet_flags INTERFACE -fsanitize=${FACET_SANITIZE})
endif()

# facet_library(NAME [TOGETHER N] SOURCES … LINKS …): one static library per core folder, so that an arrow against the
# order of docs/architecture.md does not link. N sources are compiled as one where what they include takes longer to
# read than they do.
function(facet_library name)
  cmake_parse_arguments(ARG "" "TOGETHER" "SOURCES;LINKS" ${ARGN})
  add_library(facet_${name} STATIC ${ARG_SOURCES})
  if(ARG_TOGETHER AND FACET_UNITY)
    set_target_properties(facet_${name} PROPERTIES UNITY_BUILD ON UNITY_BUILD_BATCH_SIZE ${ARG_TOGETHER})
  endif()
  target_link_libraries(facet_${name} PUBLIC facet_flags PRIVATE ${ARG_LINKS})
endfunction()
