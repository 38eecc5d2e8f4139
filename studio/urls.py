"""Pages and the API."""

from django.urls import path

from studio.api import api, docs
from studio.phrases import pages as phrases
from studio.scenes import pages
from studio.shelf import pages as assets

urlpatterns = [
    path("", pages.scene_list, name="scenes"),
    path("scenes/new", pages.new_scene, name="new-scene"),
    path("scenes/import", pages.import_scene, name="import-scene"),
    path("scenes/<int:scene_id>/", pages.editor, name="editor"),
    path("scenes/<int:scene_id>/duplicate", pages.duplicate_scene, name="duplicate-scene"),
    path("scenes/<int:scene_id>/delete", pages.delete_scene, name="delete-scene"),
    path("scenes/<int:scene_id>/scene.json", pages.export_scene, name="export-scene"),
    path("scenes/<int:scene_id>/thumbnail.png", pages.thumbnail, name="thumbnail"),
    path("scenes/<int:scene_id>/first", pages.first_picture, name="first picture"),
    path("assets/", assets.asset_list, name="assets"),
    path("assets/upload", assets.upload, name="upload-asset"),
    path("assets/<str:slug>/replace", assets.replace, name="replace-asset"),
    path("assets/<str:slug>/remove", assets.remove, name="remove-asset"),
    path("phrases/", phrases.phrase_list, name="phrases"),
    path("phrases/import", phrases.import_phrase, name="import-phrase"),
    path("phrases/<int:phrase_id>/rename", phrases.rename_phrase, name="rename-phrase"),
    path("phrases/<int:phrase_id>/remove", phrases.remove_phrase, name="remove-phrase"),
    path("phrases/<int:phrase_id>/begin", phrases.begin_with, name="begin-with-phrase"),
    path("api/docs", docs, name="api-docs"),
    path("api/", api.urls),
]
