"""Addresses of the application."""

from django.contrib.auth import views as auth
from django.urls import path

from glass_spoon.studio.views import account, bench, geometry, inspection, pictures, projects, reference, send_out, versions

urlpatterns = [
    path("", projects.home, name="home"),
    path(
        "sign-in/",
        auth.LoginView.as_view(template_name="account/sign_in.html", redirect_authenticated_user=True),
        name="sign_in",
    ),
    path("sign-out/", auth.LogoutView.as_view(), name="sign_out"),
    path("sign-up/", account.sign_up, name="sign_up"),
    path(
        "password/",
        auth.PasswordChangeView.as_view(template_name="account/password.html", success_url="/projects/"),
        name="password",
    ),
    path("projects/", projects.project_list, name="projects"),
    path("projects/<int:project_id>/", projects.project_page, name="project"),
    path("projects/<int:project_id>/rename/", projects.rename_project, name="project_rename"),
    path("projects/<int:project_id>/remove/", projects.remove_project, name="project_remove"),
    path("projects/<int:project_id>/members/", projects.set_member, name="member_set"),
    path("projects/<int:project_id>/members/<int:user_id>/remove/", projects.remove_member, name="member_remove"),
    path("projects/<int:project_id>/parts/", projects.new_part, name="part_new"),
    path("projects/<int:project_id>/bring-in/", projects.bring_in, name="bring_in"),
    path("projects/<int:project_id>/project.json", projects.export_project, name="project_export"),
    path("parts/<int:part_id>/", bench.bench_page, name="bench"),
    path("parts/<int:part_id>/show/", bench.show, name="bench_show"),
    path("parts/<int:part_id>/edit/", bench.edit, name="bench_edit"),
    path("parts/<int:part_id>/undo/", bench.undo, name="bench_undo"),
    path("parts/<int:part_id>/redo/", bench.redo, name="bench_redo"),
    path("parts/<int:part_id>/find/", bench.find_verbs, name="bench_find"),
    path("parts/<int:part_id>/points/<str:line_id>/", bench.points, name="bench_points"),
    path("parts/<int:part_id>/pictures/", pictures.take_in, name="picture_take_in"),
    path("parts/<int:part_id>/pictures/<str:line_id>/", pictures.choose, name="picture_choose"),
    path("pictures/<int:picture_id>/", pictures.picture, name="picture"),
    path("parts/<int:part_id>/curves/", bench.curves, name="bench_curves"),
    path("parts/<int:part_id>/lines/<str:line_id>/laws/<str:field>/", bench.law, name="bench_law"),
    path("parts/<int:part_id>/lines/<str:line_id>/tables/<str:field>/", bench.table, name="bench_table"),
    path("parts/<int:part_id>/edges/", bench.edges, name="bench_edges"),
    path("parts/<int:part_id>/removal/<str:line_id>/", bench.removal, name="bench_removal"),
    path("parts/<int:part_id>/remove/", projects.remove_part, name="part_remove"),
    path("parts/<int:part_id>/copy/", projects.copy_part, name="part_copy"),
    path("parts/<int:part_id>/view.glb", geometry.view_glb, name="view_glb"),
    path("parts/<int:part_id>/preview.glb", geometry.preview_glb, name="preview_glb"),
    path("parts/<int:part_id>/corners/<str:line_id>.json", geometry.corners, name="corners"),
    path("parts/<int:part_id>/picked.json", geometry.picked, name="picked"),
    path("parts/<int:part_id>/offenders.json", geometry.offenders, name="offenders"),
    path("parts/<int:part_id>/thumbnail.png", geometry.thumbnail, name="thumbnail"),
    path("parts/<int:part_id>/versions/", versions.version_list, name="versions"),
    path("parts/<int:part_id>/compare/", versions.compare, name="compare"),
    path("parts/<int:part_id>/compare.png", versions.compare_picture, name="compare_picture"),
    path("parts/<int:part_id>/inspection/", inspection.sheet, name="inspection"),
    path("parts/<int:part_id>/inspection/<str:item_id>/<str:view>.png", inspection.picture, name="inspection_picture"),
    path("parts/<int:part_id>/versions/<int:version_id>/restore/", versions.restore, name="version_restore"),
    path("parts/<int:part_id>/send-out/", send_out.send_out, name="send_out"),
    path("parts/<int:part_id>/send-out/<str:token>/", send_out.parcel, name="parcel"),
    path("parts/<int:part_id>/send-out/<str:token>/file/", send_out.parcel_file, name="parcel_file"),
    path("parts/<int:part_id>/sheet.json", send_out.sheet_json, name="sheet_json"),
    path("verbs/", reference.verbs, name="verbs"),
    path("sheet-1.schema.json", reference.schema, name="schema"),
    path("health/", reference.health, name="health"),
]
handler404 = "glass_spoon.studio.views.reference.not_found"
handler403 = "glass_spoon.studio.views.reference.forbidden"
