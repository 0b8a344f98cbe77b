# Writes the bytes of FILE as a C++ array called NAME into OUT: cmake -DFILE=… -DNAME=… -DOUT=… -P embed.cmake
file(READ ${FILE} bytes HEX)
string(REGEX REPLACE "(................................)" "\\1\n" bytes "${bytes}")
string(REGEX REPLACE "([0-9a-f][0-9a-f])" "0x\\1," bytes "${bytes}")
file(WRITE ${OUT} "#include <cstddef>\nextern const unsigned char ${NAME}[];\nextern const std::size_t ${NAME}_bytes;\nconst unsigned char ${NAME}[] = {\n${bytes}};\nconst std::size_t ${NAME}_bytes = sizeof ${NAME};\n")
