from collections.abc import Callable, Mapping, Sequence
from typing import Any, Literal, TypedDict

import numpy as np
import numpy.typing as npt

Progress = Callable[[float, str], bool | None]
"""Called with the share done (0 to 1) and what is being done; False cancels."""

class Error(Exception):
    code: str
    message: str
    path: str
    frame: int | None
    unchanged: str
    advice: str

class State(TypedDict):
    source_frames: npt.NDArray[np.float64]
    speeds: npt.NDArray[np.float64]
    delays: npt.NDArray[np.float64]
    shown: npt.NDArray[np.bool_]
    positions: npt.NDArray[np.float64]
    orientations: npt.NDArray[np.float64]
    sizes: npt.NDArray[np.float64]

class Pose(TypedDict):
    points: npt.NDArray[np.float32]
    normals: npt.NDArray[np.float32] | None
    velocities: npt.NDArray[np.float32] | None
    colours: npt.NDArray[np.float32] | None
    face_starts: npt.NDArray[np.uint32]
    face_corners: npt.NDArray[np.uint32]
    ids: npt.NDArray[np.int64]
    attributes: dict[str, npt.NDArray[Any]]

class Finding(TypedDict):
    kind: str
    words: str
    copies: list[int]
    frame: int
    key: str
    ignored: bool

class Plan(TypedDict):
    files: int
    bytes: float
    free: float
    existing: int
    words: list[str]
    left_out: list[str]
    figures: dict[str, float]

class Done(TypedDict):
    files: list[str]
    bytes: float
    kept: int
    manifest: str
    words: list[str]
    left_out: list[str]
    figures: dict[str, float]

class Project:
    data: dict[str, Any]
    @property
    def path(self) -> str: ...
    @property
    def copies(self) -> int: ...
    @property
    def missing(self) -> list[str]: ...
    def add_source(self, path: str, name: str = "", choices: Mapping[str, str] = ...) -> int: ...
    def add_frames(
        self,
        name: str,
        points: npt.ArrayLike,
        faces: Sequence[Sequence[int]],
        rate: str = "24",
        velocities: npt.ArrayLike | None = None,
    ) -> int: ...
    def save(self, path: str, replace: bool = False) -> None: ...
    def times(self, frames: Sequence[float]) -> npt.NDArray[np.float64]: ...
    def state(self, frame: float) -> State: ...
    def copy_at(self, copy: int, frame: float) -> Pose | None: ...
    def source_at(self, source: int, source_frame: float) -> Pose: ...
    def check(self, crowding: bool = False, progress: Progress | None = None) -> list[Finding]: ...
    def plan(
        self,
        output: str,
        folder: str,
        *,
        name: str = "copies",
        frames: tuple[int, int] | tuple[int, int, int] | None = None,
        kind: str = "",
        existing: Literal["refuse", "resume", "replace"] = "refuse",
        source: int = 0,
        poses_per_frame: int = 8,
        tolerance: float = 0.001,
        chunk: str = "",
        up: Literal["y", "z"] = "y",
        unit: str = "m",
        velocities: bool = True,
        attributes: bool = True,
        each_copy: bool = False,
        shutter_samples: int = 1,
        shutter: float = 180.0,
        progress: Progress | None = None,
    ) -> Plan: ...
    def hand_off(
        self,
        output: str,
        folder: str,
        *,
        name: str = "copies",
        frames: tuple[int, int] | tuple[int, int, int] | None = None,
        kind: str = "",
        existing: Literal["refuse", "resume", "replace"] = "refuse",
        source: int = 0,
        poses_per_frame: int = 8,
        tolerance: float = 0.001,
        chunk: str = "",
        up: Literal["y", "z"] = "y",
        unit: str = "m",
        velocities: bool = True,
        attributes: bool = True,
        each_copy: bool = False,
        shutter_samples: int = 1,
        shutter: float = 180.0,
        progress: Progress | None = None,
    ) -> Done: ...

def open(path: str, progress: Progress | None = None) -> Project: ...
def new(name: str = "", rate: str = "24", range: tuple[int, int] = (1, 240)) -> Project: ...
def verify(manifest: str, progress: Progress | None = None) -> int: ...
def outputs() -> dict[str, list[str]]: ...
