"""A camera over RTSP, by GStreamer's own server. Runs in the system's Python, which has its bindings: it imports nothing of ours.

    rtsp_server.py FILE CODEC SOUND PORT USER PASSWORD tcp|udp

FILE is Matroska with a track of CODEC (h264, hevc or mjpeg), and one of SOUND (aac), or none where that is ''. Prints its port when it
is ready. USER '' asks nobody.
"""

import sys

import gi

gi.require_version("Gst", "1.0")
gi.require_version("GstRtsp", "1.0")
gi.require_version("GstRtspServer", "1.0")
from gi.repository import GLib, Gst, GstRtsp, GstRtspServer  # noqa: E402

PAY = {
    "h264": "h264parse ! rtph264pay config-interval=-1",
    "hevc": "h265parse ! rtph265pay config-interval=-1",
    "mjpeg": "jpegparse ! rtpjpegpay",
}


SOUND = {"": "", "aac": "held.audio_0 ! queue ! aacparse ! rtpmp4gpay name=pay1 pt=97"}


def main() -> None:
    path, codec, sound, port, user, password, transport = sys.argv[1:8]
    Gst.init(None)
    server = GstRtspServer.RTSPServer()
    server.set_address("127.0.0.1")
    server.set_service(port)
    factory = GstRtspServer.RTSPMediaFactory()
    pictures = f"held.video_0 ! queue ! {PAY[codec]} name=pay0 pt=96"
    factory.set_launch(f'( filesrc location="{path}" ! matroskademux name=held {pictures} {SOUND[sound]} )')
    if transport == "udp":
        factory.set_protocols(GstRtsp.RTSPLowerTrans.UDP)
    if user:
        auth = GstRtspServer.RTSPAuth()
        auth.set_supported_methods(GstRtsp.RTSPAuthMethod.DIGEST)
        token = GstRtspServer.RTSPToken()
        token.set_string(GstRtspServer.RTSP_TOKEN_MEDIA_FACTORY_ROLE, "viewer")
        auth.add_digest(user, password, token)
        server.set_auth(auth)
        permissions = GstRtspServer.RTSPPermissions()
        permissions.add_permission_for_role("viewer", GstRtspServer.RTSP_PERM_MEDIA_FACTORY_ACCESS, True)
        permissions.add_permission_for_role("viewer", GstRtspServer.RTSP_PERM_MEDIA_FACTORY_CONSTRUCT, True)
        factory.set_permissions(permissions)
    server.get_mount_points().add_factory("/stream", factory)
    if not server.attach(None):
        sys.exit("cannot listen")
    print(server.get_bound_port(), flush=True)  # noqa: T201 - it is the answer
    loop = GLib.MainLoop()
    GLib.io_add_watch(
        0, GLib.PRIORITY_DEFAULT, GLib.IOCondition.HUP, lambda *_: loop.quit()
    )  # whoever started it is gone
    loop.run()


main()
