export * from "three/addons/lines/LineSegmentsGeometry.js";
