// Memory of pictures. What is given back is used again: the system clears what it hands out, page by page,
// which takes longer than much of what pictures are made by.
#pragma once

#include <cstddef>
#include <new>
#include <utility>

namespace stage::media {

/// bytes: at least 1. Anything may be in it. Thread-safe. Throws std::bad_alloc.
void* takeBuffer(std::size_t bytes);
/// bytes: as it was taken with. Thread-safe.
void returnBuffer(void* at, std::size_t bytes);

/// Of vectors whose new elements are left as they come: for what is filled at once anyway.
template <class T> struct BufferAllocator {
    using value_type = T;
    BufferAllocator() = default;
    template <class U> explicit BufferAllocator(const BufferAllocator<U>&) {}
    T* allocate(std::size_t count) { return static_cast<T*>(takeBuffer(count * sizeof(T))); }
    void deallocate(T* at, std::size_t count) { returnBuffer(at, count * sizeof(T)); }
    template <class U> void construct(U* at) { ::new (static_cast<void*>(at)) U; }
    template <class U, class... Values> void construct(U* at, Values&&... values) {
        ::new (static_cast<void*>(at)) U(std::forward<Values>(values)...);
    }
    bool operator==(const BufferAllocator&) const { return true; }
};

}
