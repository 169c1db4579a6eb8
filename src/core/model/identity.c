#include "core/model/image.h"

void image_find_identity(struct ta_image *image) {
    image->has_identity = false;
    for (size_t i = 0; !image->has_identity && i < image->segment_count; ++i) {
        const struct ta_segment *segment = &image->segments[i];
        size_t offset = 0;
        image->has_identity = ta_identity_find(segment->bytes, segment->size_bytes, &image->identity, &offset);
        image->identity_address = segment->address + offset;
    }
}
