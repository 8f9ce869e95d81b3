// Names of classes that the scripts mention in their comments without importing them.
type Board = import("../../glass_spoon/studio/static/js/board/board.js").Board;
type DrawingSpace = import("../../glass_spoon/studio/static/js/board/views/drawing_space.js").DrawingSpace;
type DrawingView = import("../../glass_spoon/studio/static/js/board/views/drawing_view.js").DrawingView;
type Slip = import("../../glass_spoon/studio/static/js/slip.js").Slip;
type Edits = import("../../glass_spoon/studio/static/js/edits.js").Edits;
type Listening = import("../../glass_spoon/studio/static/js/listening.js").Listening;
type Model = import("../../glass_spoon/studio/static/js/board/scene/model.js").Model;
type PartScene = import("../../glass_spoon/studio/static/js/board/scene/part_scene.js").PartScene;
type Plane = import("../../glass_spoon/studio/static/js/board/views/planes.js").Plane;
type Plum = import("../../glass_spoon/studio/static/js/board/scene/plum.js").Plum;
type Press = import("../../glass_spoon/studio/static/js/board/tools/tool.js").Press;
type Session = import("../../glass_spoon/studio/static/js/session.js").Session;
type Tool = import("../../glass_spoon/studio/static/js/board/tools/tool.js").Tool;
type Material = import("three").Material;
type Mode = import("../../glass_spoon/studio/static/js/board/scene/model.js").Mode;
type Object3D = import("three").Object3D;
