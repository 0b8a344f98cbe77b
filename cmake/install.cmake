include(GNUInstallDirs)
install(TARGETS garland-cli)
install(FILES packaging/garland-cli.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)

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
    install(FILES packaging/garland.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
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
set(CPACK_PACKAGE_CONTACT "The Garland developers")
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_PACKAGE_SECTION graphics)
include(CPack)
