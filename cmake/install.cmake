include(GNUInstallDirs)
install(TARGETS garland-cli)

# What Debian wants packed by gzip, without the time of packing.
set(packed ${CMAKE_BINARY_DIR}/packed)
function(pack FILE AS)
    add_custom_command(OUTPUT ${packed}/${AS}.gz
        COMMAND ${CMAKE_COMMAND} -E make_directory ${packed}
        COMMAND gzip -9nc ${CMAKE_SOURCE_DIR}/${FILE} > ${packed}/${AS}.gz
        DEPENDS ${CMAKE_SOURCE_DIR}/${FILE} VERBATIM)
    set(packed_files ${packed_files} ${packed}/${AS}.gz PARENT_SCOPE)
endfunction()
pack(packaging/garland-cli.1 garland-cli.1)
pack(packaging/garland.1 garland.1)
pack(packaging/debian-changelog changelog)
add_custom_target(garland_packed ALL DEPENDS ${packed_files})
install(FILES ${packed}/garland-cli.1.gz DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
install(FILES ${packed}/changelog.gz packaging/copyright DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/garland)

# Completions of shells, from the parser itself.
set(completions ${CMAKE_BINARY_DIR}/completions)
add_custom_command(OUTPUT ${completions}/garland-cli ${completions}/_garland-cli ${completions}/garland-cli.fish
    COMMAND ${CMAKE_COMMAND} -E make_directory ${completions}
    COMMAND $<TARGET_FILE:garland-cli> completions bash > ${completions}/garland-cli
    COMMAND $<TARGET_FILE:garland-cli> completions zsh > ${completions}/_garland-cli
    COMMAND $<TARGET_FILE:garland-cli> completions fish > ${completions}/garland-cli.fish
    DEPENDS garland-cli VERBATIM)
add_custom_target(garland_completions ALL DEPENDS ${completions}/garland-cli)
install(FILES ${completions}/garland-cli DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions)
install(FILES ${completions}/_garland-cli DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/vendor-completions)
install(FILES ${completions}/garland-cli.fish DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d)

if(GARLAND_APP)
    install(TARGETS garland)
    install(FILES ${packed}/garland.1.gz DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
    install(FILES packaging/org.garland.Garland.desktop DESTINATION ${CMAKE_INSTALL_DATADIR}/applications)
    install(FILES packaging/org.garland.Garland.metainfo.xml DESTINATION ${CMAKE_INSTALL_DATADIR}/metainfo)
    install(FILES packaging/org.garland.Garland.mime.xml DESTINATION ${CMAKE_INSTALL_DATADIR}/mime/packages)
    install(FILES packaging/org.garland.Garland.svg DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/scalable/apps)
endif()

# Where Debian's Python looks for modules.
if(GARLAND_PYTHON)
    install(TARGETS garland_python DESTINATION lib/python3/dist-packages/garland COMPONENT python)
    install(FILES src/python/garland/__init__.py src/python/garland/__init__.pyi src/python/garland/py.typed
        DESTINATION lib/python3/dist-packages/garland COMPONENT python)
    install(FILES ${packed}/changelog.gz packaging/copyright DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/python3-garland
        COMPONENT python)
endif()

set(CPACK_GENERATOR DEB)
if(GARLAND_PYTHON) # two packages: garland, python3-garland
    set(CPACK_DEB_COMPONENT_INSTALL ON)
    set(CPACK_COMPONENTS_ALL Unspecified python)
    set(CPACK_DEBIAN_UNSPECIFIED_PACKAGE_NAME garland)
    set(CPACK_DEBIAN_PYTHON_PACKAGE_NAME python3-garland)
    set(CPACK_DEBIAN_PYTHON_PACKAGE_SECTION python)
    set(CPACK_DEBIAN_PYTHON_PACKAGE_DEPENDS "python3 (>= 3.11), python3 (<< 3.12), python3-numpy")
endif()
set(CPACK_PACKAGE_CONTACT "The Garland developers <garland@example.org>")
set(CPACK_STRIP_FILES ON)
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(words "Garland takes baked motion (cached meshes, pieces, particles,
volumes), gives it another time (slow, frozen, backward, looped, ramped)
and strings it over many copies, each with a time of its own, so that no
two move alike. It proves that, and writes the result in open formats.")
set(CPACK_PACKAGE_DESCRIPTION "${words}")
set(CPACK_DEBIAN_UNSPECIFIED_DESCRIPTION "${words}")
set(CPACK_DEBIAN_PYTHON_DESCRIPTION "${words}\nThis package has the Python module: projects, times, places and poses as\nNumPy arrays, checks and every output.")
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_PACKAGE_SECTION graphics)
include(CPack)
